import { expect, it } from "vitest";
import { inverse, through } from "./affine";

it("a place comes back to where it was", () => {
  const map = { xx: 0.98, xy: -0.17, yx: 0.17, yy: 0.98, x0: 12, y0: -40 };
  const there = through(map, { x: 100, y: 50 });
  const back = through(inverse(map), there);
  expect(there.x).toBeCloseTo(101.5);
  expect(back.x).toBeCloseTo(100);
  expect(back.y).toBeCloseTo(50);
});
