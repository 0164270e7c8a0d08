import { describe, expect, it } from "vitest";
import { paperZoom, screenPpi } from "./screen";

describe("the screen as paper", () => {
  it("an inch is an inch", () => {
    // 96 CSS pixels an inch, two device pixels each: a print of 192 ppi is shown pixel for pixel.
    expect(paperZoom(96, 192, 2)).toBe(1);
    expect(paperZoom(96, 240, 1)).toBeCloseTo(0.4);
  });

  it("is measured by a card", () => {
    expect(screenPpi(85.6)).toBeCloseTo(25.4);
    expect(screenPpi(323.5)).toBeCloseTo(96, 0);
  });
});
