/** Where the loupe's two windows lie, side by side. */

import type { Extent } from "./camera";
import type { At } from "./hand";

/**
 * Their upper left corner, on the canvas wherever it is large enough for them: around the pointer; or above a fingertip that covers so much of
 * the canvas around it, or beneath it where there is no room above. All in device pixels.
 */
export function loupeAt([x, y]: At, side: number, canvas: Extent, finger?: number): { left: number; top: number } {
  const within = (at: number, room: number) => Math.round(Math.max(0, Math.min(at, room)));
  const left = within(x - side, canvas.width - 2 * side);
  if (finger === undefined) return { left, top: within(y - side / 2, canvas.height - side) };
  const above = y - finger - side;
  return { left, top: within(above >= 0 ? above : y + finger, canvas.height - side) };
}
