import { describe, expect, it } from "vitest";
import { cutAround, shuffled } from "./cells";

const PLACE = { xx: 1, xy: 0, yx: 0, yy: 1, x0: 10, y0: 0 };
const SHEET = { width: 1000, height: 600 };

describe("a cell of the strip", () => {
  it("has its spot in the middle", () => {
    const cut = cutAround({ name: "Rim", x: 90, y: 60 }, PLACE, 4, SHEET, 200, 100);
    expect(cut).toEqual({ x: 300, y: 190, width: 200, height: 100 });
  });

  it("stays on the sheet", () => {
    expect(cutAround({ name: "Rim", x: -10, y: 0 }, PLACE, 4, SHEET, 200, 100)).toEqual({
      x: 0,
      y: 0,
      width: 200,
      height: 100,
    });
    expect(cutAround({ name: "Rim", x: 300, y: 200 }, PLACE, 4, SHEET, 4000, 100)).toEqual({
      x: 0,
      y: 500,
      width: 1000,
      height: 100,
    });
  });
});

describe("a blind order", () => {
  it("holds every one once and is not always the same", () => {
    let seed = 7;
    const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
    const orders = Array.from({ length: 40 }, () => shuffled(["A", "B", "C"], random).join(""));
    expect(new Set(orders).size).toBe(6);
    expect(orders.every((order) => [...order].sort().join("") === "ABC")).toBe(true);
  });
});
