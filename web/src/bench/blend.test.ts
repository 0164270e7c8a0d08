import { describe, expect, it } from "vitest";
import type { Wish } from "../api/client";
import { endOf } from "./blend";

const learned = (strength: number) => ({
  by: "learned" as const,
  subject: "everyday",
  grade: "draft" as const,
  strength,
});
const wish = {
  enlarge: learned(0.4),
  faces: { strength: 0.3 },
  letter: "A",
  alternatives: [{ letter: "B", enlarge: learned(1) }],
  areas: [{ name: "Sky", steps: { enlarge: learned(0.9) } }],
} as unknown as Wish;

describe("the end of a blend", () => {
  it("is the wish with that step at its end, compared with nothing", () => {
    const end = endOf(wish, "whole", { enlarge: learned(0) });
    expect(end.enlarge).toEqual(learned(0));
    expect(end.alternatives).toEqual([]);
    expect(end.areas).toBe(wish.areas);
    expect(wish.alternatives).toHaveLength(1);
  });

  it("is the area's where the rail is about an area, but faces are always the whole picture's", () => {
    const end = endOf(wish, 0, { enlarge: learned(1) });
    expect(end.enlarge).toEqual(learned(0.4));
    expect(end.areas?.[0]?.steps.enlarge).toEqual(learned(1));
    expect(endOf(wish, 0, { faces: { strength: 1 } }).faces).toEqual({ strength: 1 });
  });
});
