import { describe, expect, it } from "vitest";
import { FIRST_BRUSH, drawn, emptyMask } from "./Areas";

const SIZE = { width: 400, height: 200 };

describe("drawing an area", () => {
  it("a stroke of the brush is added, as wide as the picture is large", () => {
    const mask = drawn(emptyMask("painted", SIZE), FIRST_BRUSH, 200, [
      { x: 1, y: 1 },
      { x: 9, y: 9 },
    ]);
    expect(mask.by === "painted" && mask.strokes).toEqual([
      {
        points: [
          { x: 1, y: 1 },
          { x: 9, y: 9 },
        ],
        radius: 10,
        feather: 0.5,
        erases: false,
      },
    ]);
  });

  it("a gradient needs a line, not a click", () => {
    const empty = emptyMask("gradient", SIZE);
    expect(
      drawn(empty, FIRST_BRUSH, 200, [
        { x: 5, y: 5 },
        { x: 5, y: 6 },
      ]),
    ).toBe(empty);
    const mask = drawn({ ...empty, inverted: true }, FIRST_BRUSH, 200, [
      { x: 5, y: 5 },
      { x: 5, y: 90 },
    ]);
    expect(mask).toEqual({ by: "gradient", from: { x: 5, y: 5 }, to: { x: 5, y: 90 }, inverted: true });
  });

  it("tone and colour are those of the place that was pointed at", () => {
    const mask = drawn(emptyMask("colour", SIZE), FIRST_BRUSH, 200, [{ x: 3, y: 4 }]);
    expect(mask).toEqual({ by: "colour", at: { x: 3, y: 4 }, reach: 14, inverted: false });
  });
});
