/** What speaks for a model: its measured gain and its measured speed, in a line. */

import type { Model } from "../../api/client";
import { decimal } from "../../app/format";
import { mean, ownSet } from "../../shelf/measures";

const signed = (value: number) => `${value > 0 ? "+" : ""}${decimal(value)}`;

function gain({ card }: Model): string {
  if (card.trial) return "your own; not measured here";
  const set = ownSet(card);
  const scores = card.scores.filter((s) => s.set === set).map((s) => s.model - s.bicubic);
  if (scores.length > 0) {
    const range = `${decimal(Math.min(...scores))} to ${decimal(Math.max(...scores))}`;
    return `${signed(mean(scores))} dB over bicubic on ${scores.length} ${set === "photographs" ? set : "pictures of its subject"} it never saw (${range})`;
  }
  const damaged = (card.cleaning ?? []).filter((c) => c.before > 0);
  const [least, most] = [damaged[0], damaged.at(-1)];
  if (!least || !most) return "not measured yet";
  const words = (c: typeof least) => `${signed(c.after - c.before)} dB at ${c.damage}`;
  return `${words(least)}, ${words(most)}, on ${least.photos} photographs it never saw`;
}

export function evidence(model: Model): string {
  const speed = model.pixels_per_second ? `; ${decimal(model.pixels_per_second / 1e6)} megapixels a second here` : "";
  return gain(model) + speed;
}
