/** What the test strip cuts out of each result, and in which order it shows them. */

import type { Affine, Plan, Spot } from "../api/client";
import { through } from "../stage/affine";

export interface Cut {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** The part of the sheet around a spot, so many pixels of the print across; held on the sheet. */
export function cutAround(
  spot: Spot,
  place: Affine,
  factor: number,
  sheet: Plan["sheet"],
  width: number,
  height: number,
): Cut {
  const at = through(place, spot);
  const [w, h] = [
    Math.min(Math.max(1, Math.round(width)), sheet.width),
    Math.min(Math.max(1, Math.round(height)), sheet.height),
  ];
  const held = (middle: number, side: number, most: number) =>
    Math.min(Math.max(0, Math.round(middle - side / 2)), most - side);
  return { x: held(at.x * factor, w, sheet.width), y: held(at.y * factor, h, sheet.height), width: w, height: h };
}

/** An order that gives nothing away; `random` gives shares from 0 to 1. */
export function shuffled<T>(items: readonly T[], random: () => number): T[] {
  const out = [...items];
  for (let i = out.length - 1; i > 0; i--) {
    const j = Math.floor(random() * (i + 1));
    [out[i], out[j]] = [out[j] as T, out[i] as T];
  }
  return out;
}
