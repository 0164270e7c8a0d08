import { describe, expect, it } from "vitest";
import type { Intent } from "../api/client";
import { between, endOf } from "./blend";

const learned = (strength: number) => ({
  by: "learned" as const,
  subject: "everyday",
  grade: "draft" as const,
  strength,
});
const intent = {
  enlarge: learned(0.4),
  faces: { strength: 0.3 },
  letter: "A",
  alternatives: [{ letter: "B", enlarge: learned(1) }],
  areas: [{ name: "Sky", steps: { enlarge: learned(0.9) } }],
} as unknown as Intent;

describe("the end of a blend", () => {
  it("is the intent with that step at its end, compared with nothing", () => {
    const end = endOf(intent, "whole", { enlarge: learned(0) });
    expect(end.enlarge).toEqual(learned(0));
    expect(end.alternatives).toEqual([]);
    expect(end.areas).toBe(intent.areas);
    expect(intent.alternatives).toHaveLength(1);
  });

  it("is the area's where the rail is about an area, but faces are always the whole picture's", () => {
    const end = endOf(intent, 0, { enlarge: learned(1) });
    expect(end.enlarge).toEqual(learned(0.4));
    expect(end.areas?.[0]?.steps.enlarge).toEqual(learned(1));
    expect(endOf(intent, 0, { faces: { strength: 1 } }).faces).toEqual({ strength: 1 });
  });
});

describe("the knots of a control", () => {
  it.each([
    [0, [0, 1]],
    [0.4, [0, 1]],
    [1, [0, 1]],
    [1.05, [1, 3]],
    [3, [1, 3]],
    [4, [1, 3]],
  ])("%s lies between %s", (value, expected) => {
    expect(between([0, 1, 3], value)).toEqual(expected);
  });
});

it("one face's strength is its own, whatever area the rail is about", () => {
  const own_faces = [
    { face: { left_eye: { x: 1, y: 1 }, right_eye: { x: 9, y: 1 }, mouth: { x: 5, y: 9 } }, on: true, strength: 1 },
  ];
  expect(endOf(intent, 0, { own_faces }).own_faces).toEqual(own_faces);
});
