import { describe, expect, it } from "vitest";
import { LAYOUTS, PANES, cellAt, cells, paneOf } from "./layout";

const CANVAS = { width: 1213, height: 607 };

describe("panes", () => {
  it.each(LAYOUTS)("of %s are all of one size and lie on the stage", (layout) => {
    const all = cells(layout, CANVAS);
    const { width, height } = paneOf(layout, CANVAS);
    expect(all).toHaveLength(PANES[layout]);
    for (const cell of all) {
      expect([cell.width, cell.height]).toEqual([width, height]);
      expect(cell.left + width).toBeLessThanOrEqual(CANVAS.width);
      expect(cell.top + height).toBeLessThanOrEqual(CANVAS.height);
    }
  });

  it("are found again under the pointer", () => {
    cells("six", CANVAS).forEach((cell, pane) => {
      expect(cellAt("six", CANVAS, cell.left + 7, cell.top + 9)).toEqual({ pane, x: 7, y: 9 });
    });
    expect(cellAt("side", CANVAS, 1212, 5).pane).toBe(1);
    expect(cellAt("curtain", CANVAS, 1200, 600)).toEqual({ pane: 0, x: 1200, y: 600 });
  });
});
