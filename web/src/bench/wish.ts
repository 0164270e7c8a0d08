/** What is asked for of one picture: remembered per picture, with undo and redo. */

import { useCallback, useState } from "react";
import type { Model, Original, Target, Wish } from "../api/client";
import { keep, recall } from "../app/kept";

/** What is suggested for a picture that nothing was asked of yet. */
export function suggested(original: Original, models: Model[]): Wish {
  const fine = models.some((m) => m.card.subject === "everyday" && m.card.grade === "fine");
  const doubled: Target = { by: "factor", factor: 2 };
  return {
    target: original.target ?? doubled,
    enlarge: { by: "learned", subject: "everyday", grade: fine ? "fine" : "draft" },
    output: { format: "tiff", depth: original.facts.depth, quality: 92, ppi: null },
    before: "bicubic",
    distance_m: null,
  };
}

/** Changes that follow each other as fast as typing are undone together. */
const TOGETHER_MS = 800;

interface History {
  past: Wish[];
  now: Wish;
  future: Wish[];
  /** When the latest change was made. */
  at: number;
}

export interface WishControl {
  wish: Wish;
  change: (part: Partial<Wish>) => void;
  undo?: () => void;
  redo?: () => void;
}

const key = (original: Original) => `wish.${original.id}.${original.hash.slice(0, 12)}`;

/** The wish for a picture; key the component that uses it by the picture. */
export function useWish(original: Original, models: Model[]): WishControl {
  const [history, setHistory] = useState<History>(() => ({
    past: [],
    now: recall<Wish>(key(original)) ?? suggested(original, models),
    future: [],
    at: 0,
  }));
  const put = useCallback(
    (step: (h: History) => History) =>
      setHistory((h) => {
        const next = step(h);
        keep(key(original), next.now);
        return next;
      }),
    [original],
  );
  const change = useCallback(
    (part: Partial<Wish>) => {
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
    undo: history.past.length > 0 ? undo : undefined,
    redo: history.future.length > 0 ? redo : undefined,
  };
}
