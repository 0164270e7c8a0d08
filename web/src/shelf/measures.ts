/** What a card's scores say, drawn together for its chart and its line. */

import type { Card, Model } from "../api/client";
import { decimal, mean } from "../app/format";

export interface Bar {
  label: string;
  /** dB: the mean over the pictures of one set, or of one damage. */
  value: number;
  /** Of what the model was made for, and so the bar that counts. */
  own: boolean;
}

const SET_NAMES: { [set: string]: string } = {
  photographs: "photographs of all kinds",
  lettering: "lettering and line",
  foliage: "foliage and ground",
  fur: "fur and feather",
  portrait: "portraits",
  prints: "scans of old prints",
};

/** The element that shows a model. */
export const cardId = (model: string) => `model-${model}`;

/** A model's name without its factor: "Everyday" for "Everyday x4". */
export const family = (card: Card) => card.name.replace(/ x\d+$/, "");

/** What a subject is called in the filter and on a card. */
export function subjectName(card: Card): string {
  if (card.trial) return "your own";
  return card.kind === "enlarge" ? family(card) : card.name;
}

/** The set of pictures that shows what a model is for. */
export function ownSet(card: Card): string {
  return card.scores.some((s) => s.set === card.subject) ? card.subject : "photographs";
}

/** What gains are counted from. */
export const COUNTED_FROM: Record<Card["kind"], string> = {
  enlarge: "bicubic",
  clean: "the damaged picture",
  face: "Everyday alone, in eyes and mouth",
  find: "the worn print",
  fill: "the worn print",
};

/** Gains over bicubic by set, over the damaged picture by damage, or over Everyday by what happened to a face. */
export function bars({ card, evidence }: Model): Bar[] {
  const label = (on: string) => (card.kind === "enlarge" ? (SET_NAMES[on] ?? on) : (on.split(":")[0] ?? ""));
  return evidence.map(({ on, mean, own }) => ({ label: label(on), value: mean, own }));
}

const signed = (value: number, digits = 2) =>
  `${value > 0 ? "+" : value < 0 ? "\u2212" : ""}${decimal(Math.abs(value), digits)}`;

/** What choosing this subject brings over Everyday, on the subject and off it; nothing for Everyday itself. */
export function overEveryday(card: Card, perceivedNearer?: number | null): string | undefined {
  const over = (set: string) =>
    card.scores.filter((s) => s.set === set && s.everyday != null).map((s) => s.model - (s.everyday ?? 0));
  const own = ownSet(card);
  const [on, off] = [over(own), own === "photographs" ? [] : over("photographs")];
  if (on.length === 0) return undefined;
  const parts = [`${signed(mean(on))} dB over Everyday on its subject`];
  if (off.length > 0) parts.push(`${signed(mean(off))} dB on photographs of all kinds`);
  if (perceivedNearer != null) {
    const share = `${Math.abs(Math.round(100 * perceivedNearer))} %`;
    parts.push(`as a general network sees it ${share} ${perceivedNearer < 0 ? "further from" : "nearer to"} the truth`);
  }
  return parts.join("; ");
}

/** "1.1 megapixels a second here; 12 megapixels take 11 s". */
export function speed(model: Model): string {
  const rate = model.pixels_per_second;
  if (!rate) return "speed not measured yet";
  const seconds = 12e6 / rate;
  const time = seconds < 90 ? `${Math.round(seconds)} s` : `${Math.round(seconds / 60)} min`;
  return `${decimal(rate / 1e6)} megapixels a second here: 12 megapixels take ${time}`;
}
