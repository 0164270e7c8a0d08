/** What stands side by side on the strip. */

import type { Letter } from "../api/client";

export interface Column {
  key: string;
  /** Nothing for the reference. */
  letter?: Letter;
  treatment: string;
  words: string;
}
