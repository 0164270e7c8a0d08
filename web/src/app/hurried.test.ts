import { describe, expect, it } from "vitest";
import { HURRIED, hurrying } from "./hurried";

const RESTING = { offset: 0, at: 0, hurried: false };

describe("a list that is scrolled", () => {
  it.each([
    ["slowly", 20, 17, true, false],
    ["quickly", 416, 17, true, true],
    ["quickly back", -416, 17, true, true],
    ["no more", 416, 17, false, false],
    ["for the first time after a while", 416, 2000, true, false],
  ])("%s", (_, offset, at, scrolling, hurried) => {
    expect(hurrying(RESTING, offset, at, scrolling).hurried).toBe(hurried);
  });

  it("stays as it was when it is drawn twice at once", () => {
    const before = { offset: 500, at: 40, hurried: true };
    expect(hurrying(before, 500, 40, true)).toBe(before);
  });

  it("is seen again as soon as it slows down", () => {
    const quick = hurrying(RESTING, 416, 17, true);
    expect(hurrying(quick, 416 + HURRIED * 10, 34, true).hurried).toBe(false);
  });
});
