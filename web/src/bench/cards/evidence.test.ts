import { describe, expect, it } from "vitest";
import type { Model } from "../../api/client";
import { evidence } from "./evidence";

const part = (on: string, mean: number, own = true) => ({
  on,
  own,
  pictures: 13,
  least: mean - 1,
  mean,
  most: mean + 1,
});

const model = (kind: string, parts: object[], pixels_per_second?: number) =>
  ({ card: { kind }, evidence: parts, pixels_per_second, title: "" }) as unknown as Model;

describe("evidence", () => {
  it("gives the mean gain of an enlarger, its range and its speed", () => {
    const enlarger = model("enlarge", [part("photographs", 2), part("lettering", 7, false)], 700_000);
    expect(evidence(enlarger)).toBe(
      "+2 dB over bicubic on 13 photographs it never saw (1 to 3); 0.7 megapixels a second here",
    );
  });

  it("leaves out what a cleaner did to sound pictures", () => {
    const parts = [part("white noise, sigma 5", 4), part("sensor noise, sigma 30", 10), part("sound", -1, false)];
    expect(evidence(model("clean", parts))).toBe(
      "white noise, sigma 5: +4 dB; sensor noise, sigma 30: +10 dB; on 13 photographs it never saw",
    );
  });

  it("judges a subject's model on its subject", () => {
    const parts = [part("lettering", 5), part("photographs", -4, false)];
    expect(evidence(model("enlarge", parts))).toBe(
      "+5 dB over bicubic on 13 pictures of its subject it never saw (4 to 6)",
    );
  });

  it("claims nothing that was not measured", () => {
    expect(evidence(model("enlarge", []))).toBe("not measured yet");
  });
});
