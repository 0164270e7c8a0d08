import { describe, expect, it } from "vitest";
import type { Card, Model } from "../api/client";
import { bars, overEveryday, ownSet, speed } from "./measures";

const score = (set: string, model: number, everyday?: number) => ({
  set,
  photo: "p",
  nearest: 20,
  bicubic: 25,
  lanczos: 25.2,
  everyday,
  model,
  bicubic_ssim: 0.8,
  model_ssim: 0.9,
  bicubic_sharpness: 0.7,
  model_sharpness: 0.9,
  drift: 0.1,
});

const card = (part: Partial<Card>) => ({ kind: "enlarge", subject: "lettering", scores: [], ...part }) as Card;

describe("a card's scores", () => {
  it("puts the model's own subject first", () => {
    const lettering = card({
      scores: [score("photographs", 24, 26), score("lettering", 29, 27), score("lettering", 31, 28)],
    });
    const gains = "+2.5 dB over Everyday on its subject; −2 dB on photographs of all kinds";
    expect(overEveryday(lettering)).toBe(gains);
    expect(overEveryday(lettering, 0.253)).toBe(`${gains}; as a general network sees it 25 % nearer to the truth`);
    expect(overEveryday(lettering, -0.04)).toBe(`${gains}; as a general network sees it 4 % further from the truth`);
  });

  it("measures Everyday on photographs and against nothing else", () => {
    const everyday = card({ subject: "everyday", scores: [score("photographs", 27), score("lettering", 26)] });
    expect(ownSet(everyday)).toBe("photographs");
    expect(overEveryday(everyday)).toBeUndefined();
  });

  it("shows an enlarger by sets of pictures, in words", () => {
    const part = { pictures: 3, least: 0 };
    const evidence = [
      { on: "lettering", own: true, mean: 5, ...part },
      { on: "photographs", own: false, mean: -1, ...part },
    ];
    expect(bars({ card: card({}), evidence } as Model)).toEqual([
      { label: "lettering and line", value: 5, own: true },
      { label: "photographs of all kinds", value: -1, own: false },
    ]);
  });

  it("shows a restorer of faces with what it does to sound ones, set apart", () => {
    const part = { pictures: 3, least: 0 };
    const evidence = [
      { on: "24 px, phone: soft, noise 3", own: true, mean: 1, ...part },
      { on: "64 px, sharp", own: false, mean: -0.5, ...part },
    ];
    expect(bars({ card: card({ kind: "face" }), evidence } as Model)).toEqual([
      { label: "24 px, phone", value: 1, own: true },
      { label: "64 px, sharp", value: -0.5, own: false },
    ]);
  });

  it("says how long a usual picture takes", () => {
    expect(speed({ pixels_per_second: 1e6 } as Model)).toBe("1 megapixels a second here: 12 megapixels take 12 s");
    expect(speed({} as Model)).toBe("speed not measured yet");
  });
});
