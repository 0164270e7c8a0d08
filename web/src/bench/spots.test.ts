import { describe, expect, it } from "vitest";
import type { Spot } from "../api/client";
import { MOST_SPOTS, openingSpot, pinned } from "./spots";

const spot = (name: string, x = 10, y = 20): Spot => ({ name, x, y });

describe("a picture opens", () => {
  it("at the first spot that somebody pinned", () => {
    expect(openingSpot({ suggested: false, spots: [spot("The rim"), spot("Eyes")] })?.name).toBe("The rim");
  });

  it("at the eyes where nobody pinned any, and else where it is liveliest", () => {
    expect(openingSpot({ suggested: true, spots: [spot("Lettering"), spot("Eyes")] })?.name).toBe("Eyes");
    expect(openingSpot({ suggested: true, spots: [spot("Strongest edge")] })).toBeUndefined();
    expect(openingSpot({ suggested: true, spots: [] })).toBeUndefined();
  });
});

describe("a pinned spot", () => {
  const size = { width: 100, height: 50 };

  it("lies in the picture and takes the first name that is free", () => {
    const spots = pinned([spot("Spot 2")], { x: -5, y: 80 }, size);
    expect(spots[1]).toEqual({ name: "Spot 3", x: 0, y: 50 });
    expect(pinned([], { x: 7, y: 8 }, size)).toEqual([{ name: "Spot 1", x: 7, y: 8 }]);
  });

  it("is one too many after the eighth", () => {
    const full = Array.from({ length: MOST_SPOTS }, (_, i) => spot(`Spot ${i + 1}`));
    expect(pinned(full, { x: 1, y: 1 }, size)).toBe(full);
  });
});
