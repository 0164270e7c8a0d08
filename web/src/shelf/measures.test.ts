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
    expect(bars(lettering)).toEqual([
      { label: "lettering and line", value: 5, own: true },
      { label: "photographs of all kinds", value: -1, own: false },
    ]);
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

  it("shows a cleaner by damage and leaves the undamaged picture out", () => {
    const part = { photos: 3, least_gain: 0, before_ssim: 0.5, after_ssim: 0.8 };
    const cleaning = [
      { damage: "nothing", before: 0, after: 53, ...part },
      { damage: "white noise, sigma 25", before: 24, after: 33, ...part },
    ];
    expect(bars(card({ kind: "clean", cleaning }))).toEqual([{ label: "white noise, sigma 25", value: 9, own: true }]);
  });

  it("shows a restorer of faces with what it does to sound ones, set apart", () => {
    const part = { photos: 3, least_gain: 0, before_ssim: 0, after_ssim: 0 };
    const cleaning = [
      { damage: "24 px, phone: soft, noise 3", before: 24, after: 25, ...part },
      { damage: "64 px, sharp", undamaged: true, before: 30, after: 29.5, ...part },
    ];
    expect(bars(card({ kind: "face", cleaning }))).toEqual([
      { label: "24 px, phone", value: 1, own: true },
      { label: "64 px, sharp", value: -0.5, own: false },
    ]);
  });

  it("says how long a usual picture takes", () => {
    expect(speed({ pixels_per_second: 1e6 } as Model)).toBe("1 megapixels a second here: 12 megapixels take 12 s");
    expect(speed({} as Model)).toBe("speed not measured yet");
  });
});
