/** What is asked for of one picture. */

import type { Clean, Finish, Frame, Recipe, Repair } from "../api/client";

/** The whole picture as it came. */
export const PLAIN_FRAME: Frame = { mirrored: false, quarter_turns: 0, degrees: 0, crop: null };

export const NOTHING_REPAIRED: Repair = { halftone: null, wear: null, fade: null };
export const NOTHING_CLEANED: Clean = { marks: null, noise: null, softness: null };
export const NOTHING_FINISHED: Finish = { edges: null, grain: null };

const STEPS = ["repair", "clean", "enlarge", "faces", "finish"] as const;

/** The steps that stood as the old suggestion had them, as the next one has them. */
export function followed(now: Recipe, old: Recipe, next: Recipe): Partial<Recipe> {
  // What is off may be null or not said at all.
  const said = (step: unknown) => JSON.stringify(step, (_, value: unknown) => value ?? undefined);
  const same = (a: unknown, b: unknown) => said(a) === said(b);
  const moved = STEPS.filter((step) => same(now[step], old[step]) && !same(old[step], next[step]));
  return Object.fromEntries(moved.map((step) => [step, next[step]]));
}
