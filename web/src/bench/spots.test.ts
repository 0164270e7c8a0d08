import { describe, expect, it } from "vitest";
import { rules } from "../api/rules";
import { pinned } from "./spots";

const SIZE = { width: 100, height: 50 };

describe("a pinned spot", () => {
  it("lies in the picture and has a name that is free", () => {
    const one = pinned([{ name: "Spot 2", x: 1, y: 1 }], { x: 120, y: -3 }, SIZE);
    expect(one[1]).toEqual({ name: "Spot 3", x: 100, y: 0 });
  });

  it("is not one too many", () => {
    let spots = pinned([], { x: 1, y: 1 }, SIZE);
    for (let i = 0; i < 20; i++) spots = pinned(spots, { x: i, y: i }, SIZE);
    expect(spots).toHaveLength(rules().most_spots);
  });
});
