import { describe, expect, it } from "vitest";
import type { At } from "./hand";
import { loupeAt } from "./loupe";

const CANVAS = { width: 1000, height: 700 };

describe("the loupe", () => {
  it("lies around the pointer, and on the canvas at its rim", () => {
    expect(loupeAt([500, 350], 200, CANVAS)).toEqual({ left: 300, top: 250 });
    expect(loupeAt([990, 5], 200, CANVAS)).toEqual({ left: 600, top: 0 });
  });

  it.each<[At, number]>([
    [[500, 350], 110],
    [[999, 350], 110],
    [[500, 100], 140],
    [[0, 239], 279],
  ])("keeps clear of a finger at %j", (at, top) => {
    const place = loupeAt(at, 200, CANVAS, 40);
    expect(place.top).toBe(top);
    expect(place.top + 200 <= at[1] - 40 || place.top >= at[1] + 40).toBe(true);
    expect(place.left).toBeGreaterThanOrEqual(0);
    expect(place.left + 400).toBeLessThanOrEqual(CANVAS.width);
  });

  it("stays at the corner of a canvas that is too small for it", () => {
    expect(loupeAt([50, 50], 200, { width: 300, height: 150 })).toEqual({ left: 0, top: 0 });
  });
});
