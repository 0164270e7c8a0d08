import { describe, expect, it } from "vitest";
import { liveliest } from "./liveliest";

/** A grey picture with a fine pattern inside a box. */
function picture(width: number, height: number, box: [number, number, number, number]) {
  const pixels = new Uint8ClampedArray(width * height * 4).fill(128);
  for (let y = box[1]; y < box[3]; y++) {
    for (let x = box[0]; x < box[2]; x++)
      pixels.fill((x + y) % 2 ? 90 : 170, (y * width + x) * 4, (y * width + x) * 4 + 3);
  }
  return pixels;
}

describe("liveliest", () => {
  it("finds the patch of texture", () => {
    const [x, y] = liveliest(picture(320, 213, [200, 40, 250, 90]), 320, 213);
    expect(Math.abs(x - 225 / 320)).toBeLessThan(0.05);
    expect(Math.abs(y - 65 / 213)).toBeLessThan(0.07);
  });

  it("takes the middle of what is too small to tell", () => {
    expect(liveliest(new Uint8ClampedArray(16), 2, 2)).toEqual([0.5, 0.5]);
  });
});
