/** How panes share the stage. */

import type { Extent } from "./camera";

export const LAYOUTS = ["curtain", "side", "blink", "four", "six"] as const;
export type Layout = (typeof LAYOUTS)[number];

/** How many candidates a layout shows. */
export const PANES: Record<Layout, number> = { curtain: 2, side: 2, blink: 2, four: 4, six: 6 };

const GRID: Record<Layout, [columns: number, rows: number]> = {
  curtain: [1, 1],
  blink: [1, 1],
  side: [2, 1],
  four: [2, 2],
  six: [3, 2],
};

export interface Cell {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** The size that all panes have, in whole device pixels. */
export function paneOf(layout: Layout, canvas: Extent): Extent {
  const [columns, rows] = GRID[layout];
  return { width: Math.floor(canvas.width / columns), height: Math.floor(canvas.height / rows) };
}

/** Where each pane lies; under the curtain and in a blink, all lie in the same place. */
export function cells(layout: Layout, canvas: Extent): Cell[] {
  const [columns] = GRID[layout];
  const { width, height } = paneOf(layout, canvas);
  const together = layout === "curtain" || layout === "blink";
  return Array.from({ length: PANES[layout] }, (_, i) => ({
    left: together ? 0 : (i % columns) * width,
    top: together ? 0 : Math.floor(i / columns) * height,
    width,
    height,
  }));
}

/** The pane at a place of the canvas, and the place inside it; beyond the last column, the last. */
export function cellAt(layout: Layout, canvas: Extent, x: number, y: number): { pane: number; x: number; y: number } {
  const [columns, rows] = GRID[layout];
  const { width, height } = paneOf(layout, canvas);
  const column = Math.min(columns - 1, Math.max(0, Math.floor(x / width)));
  const row = Math.min(rows - 1, Math.max(0, Math.floor(y / height)));
  return { pane: row * columns + column, x: x - column * width, y: y - row * height };
}
