import { describe, expect, it } from "vitest";
import { PLAIN_FRAME } from "../intent";
import { dragged, inPixels, isFull, largest, shrunkToFull, turnedSize } from "./geometry";

const turned = { width: 300, height: 200 };

describe("cropping", () => {
  it("turns the sides with the picture", () => {
    expect(turnedSize(turned, { ...PLAIN_FRAME, quarter_turns: 1 })).toEqual({ width: 200, height: 300 });
    expect(turnedSize(turned, { ...PLAIN_FRAME, quarter_turns: 2 })).toEqual(turned);
  });

  it("fits a print's proportions into the picture", () => {
    expect(largest(turned, 0, 1)).toEqual({ x: 50, y: 0, width: 200, height: 200 });
    const tilted = largest(turned, 5, 1.5);
    expect(isFull(tilted, turned, 5)).toBe(true);
    expect(tilted.width / tilted.height).toBeCloseTo(1.5);
    expect(tilted.width).toBeGreaterThan(240);
  });

  it("never leaves an empty corner", () => {
    const whole = { x: 0, y: 0, ...turned };
    expect(isFull(whole, turned, 0)).toBe(true);
    expect(isFull(whole, turned, 2)).toBe(false);
    expect(isFull(shrunkToFull(whole, turned, -12), turned, -12)).toBe(true);
  });

  it("drags a corner, keeps the proportion, and stops at the edge", () => {
    const rect = { x: 100, y: 50, width: 90, height: 60 };
    const larger = dragged(rect, [1, 1], 30, 5, turned, 0, 1.5);
    expect(larger.width / larger.height).toBeCloseTo(1.5);
    expect(larger.x).toBe(100);
    expect(dragged(rect, [1, 1], 500, 500, turned, 0)).toEqual(rect);
    expect(dragged(rect, [-1, -1], -20, -10, turned, 0)).toEqual({ x: 80, y: 40, width: 110, height: 70 });
  });

  it("slides along an edge that it has met", () => {
    const rect = { x: 200, y: 100, width: 100, height: 50 };
    expect(dragged(rect, [0, 0], 10, -20, turned, 0)).toEqual({ ...rect, y: 80 });
  });

  it("ends on whole pixels inside the picture", () => {
    expect(inPixels({ x: 0.4, y: 10.2, width: 299.9, height: 50 }, turned)).toEqual({
      x: 1,
      y: 11,
      width: 299,
      height: 49,
    });
  });
});
