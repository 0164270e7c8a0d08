/** What was decided on single results of a batch. */

import type { Change, Finding } from "../api/client";
import { targetText } from "./words";

/** The decisions with one more; a later one on the same result goes before. */
export const changed = (changes: Change[], change: Change): Change[] => [
  ...changes.filter((c) => c.key !== change.key),
  change,
];

/** What mends something, as a button says it. */
export function fixText(fix: NonNullable<Finding["fix"]>): string {
  switch (fix.by) {
    case "plain":
      return "Without a model";
    case "format":
      return `As ${fix.format === "tiff" ? "TIFF" : fix.format.toUpperCase()}`;
    case "target":
      return targetText(fix.target);
  }
}
