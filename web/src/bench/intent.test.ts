import { describe, expect, it } from "vitest";
import type { Recipe } from "../api/client";
import { NOTHING_CLEANED, NOTHING_FINISHED, NOTHING_REPAIRED, PLAIN_FRAME, followed } from "./intent";

const FADE = { black: [0.2, 0.2, 0.2], white: [0.9, 0.9, 0.9], gamma: [1, 1, 1], strength: 0.8 };
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

  it("is followed where a part is off, whether that is said or not", () => {
    // The server does not say of dots that there are none.
    const repair = (fade: typeof FADE | null) => ({ wear: null, fade }) as NonNullable<Recipe["repair"]>;
    const off = { ...recipe, repair: repair(null) };
    const next = { ...recipe, repair: repair(FADE) };
    expect(followed({ ...recipe, repair: NOTHING_REPAIRED }, off, next)).toEqual({ repair: next.repair });
  });

  it("leaves alone what the person has set", () => {
    const own = { ...recipe, finish: NOTHING_FINISHED };
    expect(followed(own, recipe, { ...recipe, finish: edges(1.5) })).toEqual({});
  });

  it("changes nothing when it is the same", () => {
    expect(followed(recipe, recipe, recipe)).toEqual({});
  });
});
