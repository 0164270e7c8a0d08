import { describe, expect, it } from "vitest";
import type { Recipe } from "../api/client";
import { NOTHING_CLEANED, NOTHING_FINISHED, PLAIN_FRAME, followed } from "./intent";

const edges = (width: number) => ({ edges: { strength: 0.5, width, halo_guard: 0.8, leave_flat: 0.8 }, grain: null });

const recipe: Recipe = {
  frame: PLAIN_FRAME,
  clean: NOTHING_CLEANED,
  enlarge: { by: "learned", subject: "everyday", grade: "draft", strength: 1 },
  finish: edges(1),
  surround: { kind: "none" },
};

describe("a new suggestion", () => {
  it("is followed in the steps that nobody has touched", () => {
    const next = { ...recipe, finish: edges(1.5) };
    expect(followed(recipe, recipe, next)).toEqual({ finish: edges(1.5) });
  });

  it("leaves alone what the person has set", () => {
    const own = { ...recipe, finish: NOTHING_FINISHED };
    expect(followed(own, recipe, { ...recipe, finish: edges(1.5) })).toEqual({});
  });

  it("changes nothing when it is the same", () => {
    expect(followed(recipe, recipe, recipe)).toEqual({});
  });
});
