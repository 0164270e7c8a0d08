/** What was decided on single results of a batch. */

import type { Change } from "../api/client";

/** The decisions with one more; a later one on the same result goes before. */
export const changed = (changes: Change[], change: Change): Change[] => [
  ...changes.filter((c) => c.key !== change.key),
  change,
];
