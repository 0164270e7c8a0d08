/** What speaks for a model: its measured gain and its measured speed, in a line. */

import type { Model } from "../../api/client";
import { decimal } from "../../app/format";

const signed = (value: number) => `${value > 0 ? "+" : ""}${decimal(value)}`;

function gain({ card, evidence }: Model): string {
  if (card.trial) return "your own; not measured here";
  const own = evidence.filter((part) => part.own);
  const [first, last] = [own[0], own.at(-1)];
  if (!first || !last) return "not measured yet";
  if (card.kind === "enlarge") {
    const range = `${decimal(first.least)} to ${decimal(first.most ?? first.least)}`;
    const on = first.on === "photographs" ? first.on : "pictures of its subject";
    return `${signed(first.mean)} dB over bicubic on ${first.pictures} ${on} it never saw (${range})`;
  }
  return `${first.on}: ${signed(first.mean)} dB; ${last.on}: ${signed(last.mean)} dB; on ${first.pictures} photographs it never saw`;
}

export function evidence(model: Model): string {
  const speed = model.pixels_per_second ? `; ${decimal(model.pixels_per_second / 1e6)} megapixels a second here` : "";
  return gain(model) + speed;
}
