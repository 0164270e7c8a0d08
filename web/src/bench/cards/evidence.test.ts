import { describe, expect, it } from "vitest";
import type { Model } from "../../api/client";
import { evidence } from "./evidence";

const score = {
  set: "photographs",
  photo: "a",
  nearest: 20,
  bicubic: 24,
  lanczos: 24.5,
  bicubic_ssim: 0.8,
  model_ssim: 0.9,
  light_gain: 1,
};
const cleaned = { photos: 13, least_gain: 0, before_ssim: 0.5, after_ssim: 0.9 };

const model = (card: object, pixels_per_second?: number) =>
  ({ card: { scores: [], cleaning: [], ...card }, pixels_per_second, title: "" }) as unknown as Model;

describe("evidence", () => {
  it("gives the mean gain of an enlarger, its range and its speed", () => {
    const enlarger = model(
      {
        scores: [
          { ...score, model: 25 },
          { ...score, model: 27 },
        ],
      },
      700_000,
    );
    expect(evidence(enlarger)).toBe(
      "+2 dB over bicubic on 2 photographs it never saw (1 to 3); 0.7 megapixels a second here",
    );
  });

  it("leaves out what a cleaner did to undamaged pictures", () => {
    const cleaning = [
      { ...cleaned, damage: "nothing", before: 0, after: 54 },
      { ...cleaned, damage: "white noise, sigma 5", before: 37, after: 41 },
      { ...cleaned, damage: "sensor noise, sigma 30", before: 21, after: 31 },
    ];
    expect(evidence(model({ cleaning }))).toBe(
      "+4 dB at white noise, sigma 5, +10 dB at sensor noise, sigma 30, on 13 photographs it never saw",
    );
  });

  it("judges a subject's model on its subject", () => {
    const scores = [
      { ...score, model: 20 },
      { ...score, set: "lettering", model: 29 },
    ];
    expect(evidence(model({ subject: "lettering", scores }))).toBe(
      "+5 dB over bicubic on 1 pictures of its subject it never saw (5 to 5)",
    );
  });

  it("claims nothing that was not measured", () => {
    expect(evidence(model({}))).toBe("not measured yet");
  });
});
