import { describe, expect, it } from "vitest";
import { bytes, decimal, distance, duration, pixels, whole } from "./format";

describe("figures", () => {
  it("have thin spaces in thousands", () => {
    expect(whole(5669)).toBe("5\u2009669");
    expect(whole(1234567.4)).toBe("1\u2009234\u2009567");
    expect(whole(999)).toBe("999");
    expect(pixels({ width: 5669, height: 780 })).toBe("5\u2009669 × 780 px");
  });
  it("have no trailing zeros", () => {
    expect(decimal(3.8)).toBe("3.8");
    expect(decimal(2.001)).toBe("2");
  });
  it.each([
    [500, "1 kB"],
    [820_000, "820 kB"],
    [4_100_000, "4.1 MB"],
    [41_000_000, "41 MB"],
    [4_300_000_000, "4.3 GB"],
  ])("%d bytes are %s", (count, text) => expect(bytes(count)).toBe(text));
  it.each([
    [0.2, "1 s"],
    [38.4, "38 s"],
    [150, "3 min"],
    [4800, "80 min"],
    [6000, "1 h 40 min"],
  ])("%d seconds are %s", (seconds, text) => expect(duration(seconds)).toBe(text));
  it("tell near distances in centimetres", () => {
    expect(distance(0.54)).toBe("54 cm");
    expect(distance(1.15)).toBe("1.1 m");
  });
});
