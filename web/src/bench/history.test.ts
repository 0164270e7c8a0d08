// @vitest-environment jsdom
import { act, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Recipe } from "../api/client";
import { anIntent } from "../testing/render";
import { benchStore, useIntent } from "./state";
import { PLAIN_FRAME } from "./intent";

beforeEach(() => vi.useFakeTimers());
afterEach(() => vi.useRealTimers());

function asked() {
  const store = benchStore(anIntent({ distance_m: 1 }));
  const { result } = renderHook(() => useIntent(store));
  return {
    intent: () => result.current.intent,
    can: () => [result.current.undo !== undefined, result.current.redo !== undefined],
    change: (distance_m: number, later = 2000) => {
      vi.advanceTimersByTime(later);
      act(() => result.current.change({ distance_m }));
    },
    undo: () => act(() => result.current.undo?.()),
    redo: () => act(() => result.current.redo?.()),
    follow: (old: Recipe, next: Recipe) => act(() => result.current.follow(old, next)),
  };
}

describe("what was asked for", () => {
  it("is undone and done again, step by step", () => {
    const { intent, can, change, undo, redo } = asked();
    expect(can()).toEqual([false, false]);
    change(2);
    change(3);
    undo();
    expect(intent().distance_m).toBe(2);
    undo();
    expect(intent().distance_m).toBe(1);
    expect(can()).toEqual([false, true]);
    redo();
    redo();
    expect(intent().distance_m).toBe(3);
    expect(can()).toEqual([true, false]);
  });

  it("is undone together when it was typed in one go", () => {
    const { intent, change, undo } = asked();
    change(2);
    change(25, 100);
    change(250, 100);
    undo();
    expect(intent().distance_m).toBe(1);
  });

  it("is not done again after something else was asked for", () => {
    const { intent, can, change, undo, redo } = asked();
    change(2);
    undo();
    change(5);
    expect(can()).toEqual([true, false]);
    redo();
    expect(intent().distance_m).toBe(5);
  });

  it("is kept for a hundred steps", () => {
    const { intent, change, undo } = asked();
    for (let i = 2; i <= 150; i++) change(i);
    for (let i = 0; i < 200; i++) undo();
    expect(intent().distance_m).toBe(50);
  });

  it("follows a new suggestion without a step to undo", () => {
    const { can, follow, intent } = asked();
    const recipe = { frame: PLAIN_FRAME, clean: { noise: null } } as unknown as Recipe;
    const next = { ...recipe, clean: { noise: { strength: 1 } } } as unknown as Recipe;
    follow({ ...recipe, clean: anIntent().clean }, next);
    expect(intent()).toMatchObject({ clean: next.clean });
    expect(can()).toEqual([false, false]);
  });
});
