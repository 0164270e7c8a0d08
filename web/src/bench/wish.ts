/** What is asked for of one picture: remembered per picture, with undo and redo. */

import { useCallback, useState } from "react";
import type { Clean, Finish, Frame, Recipe, Intent } from "../api/client";

/** The whole picture as it came. */
export const PLAIN_FRAME: Frame = { mirrored: false, quarter_turns: 0, degrees: 0, crop: null };

export const NOTHING_CLEANED: Clean = { marks: null, noise: null, softness: null };
export const NOTHING_FINISHED: Finish = { edges: null, grain: null };

/** Changes that follow each other as fast as typing are undone together. */
const TOGETHER_MS = 800;

const STEPS = ["clean", "enlarge", "faces", "finish"] as const;

/** The steps that stood as the old suggestion had them, as the next one has them. */
export function followed(now: Recipe, old: Recipe, next: Recipe): Partial<Recipe> {
  const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
  const moved = STEPS.filter((step) => same(now[step], old[step]) && !same(old[step], next[step]));
  return Object.fromEntries(moved.map((step) => [step, next[step]]));
}

interface History {
  past: Intent[];
  now: Intent;
  future: Intent[];
  /** When the latest change was made. */
  at: number;
}

export interface WishControl {
  wish: Intent;
  change: (part: Partial<Intent>) => void;
  /** Takes a new suggestion over in the steps that nobody has changed since the old one. */
  follow: (old: Recipe, next: Recipe) => void;
  undo?: () => void;
  redo?: () => void;
}

/**
 * The wish for a picture, with undo; key the component that uses it by the picture.
 *
 * The server remembers it, with every plan that is asked for.
 */
export function useWish(first: Intent): WishControl {
  const [history, setHistory] = useState<History>(() => ({ past: [], now: first, future: [], at: 0 }));
  const put = useCallback((step: (h: History) => History) => setHistory(step), []);
  const change = useCallback(
    (part: Partial<Intent>) => {
      const at = Date.now();
      put((h) => ({
        past: at - h.at < TOGETHER_MS ? h.past : [...h.past.slice(-99), h.now],
        now: { ...h.now, ...part },
        future: [],
        at,
      }));
    },
    [put],
  );
  const follow = useCallback(
    (old: Recipe, next: Recipe) => put((h) => ({ ...h, now: { ...h.now, ...followed(h.now, old, next) } })),
    [put],
  );
  const undo = () =>
    put((h) => {
      const last = h.past.at(-1);
      return last ? { past: h.past.slice(0, -1), now: last, future: [h.now, ...h.future], at: 0 } : h;
    });
  const redo = () =>
    put((h) => {
      const next = h.future[0];
      return next ? { past: [...h.past, h.now], now: next, future: h.future.slice(1), at: 0 } : h;
    });
  return {
    wish: history.now,
    change,
    follow,
    undo: history.past.length > 0 ? undo : undefined,
    redo: history.future.length > 0 ? redo : undefined,
  };
}
