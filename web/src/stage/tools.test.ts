import { describe, expect, it, vi } from "vitest";
import { Brush, Line, Pick, thinned } from "./tools";

describe("tools", () => {
  it("a stroke keeps its ends and not more points than it needs", () => {
    const points = Array.from({ length: 101 }, (_, x) => ({ x: x / 10, y: 0 }));
    const kept = thinned(points, 12);
    expect(kept[0]).toEqual({ x: 0, y: 0 });
    expect(kept.at(-1)).toEqual({ x: 10, y: 0 });
    expect(kept.length).toBeLessThan(8);
  });

  it("a brush hands over what it painted, once", () => {
    const done = vi.fn();
    const brush = new Brush(5, false, done);
    brush.start({ x: 1, y: 1 });
    brush.move({ x: 9, y: 1 });
    brush.end();
    brush.end();
    expect(done).toHaveBeenCalledTimes(1);
    expect(done).toHaveBeenCalledWith([
      { x: 1, y: 1 },
      { x: 9, y: 1 },
    ]);
  });

  it("a line and a place are handed over when the hand lets go", () => {
    const [line, pick] = [vi.fn(), vi.fn()];
    for (const tool of [new Line(line), new Pick(pick)]) {
      tool.start({ x: 1, y: 2 });
      tool.move({ x: 3, y: 4 });
      tool.end();
    }
    expect(line).toHaveBeenCalledWith({ x: 1, y: 2 }, { x: 3, y: 4 });
    expect(pick).toHaveBeenCalledWith({ x: 3, y: 4 });
  });
});
