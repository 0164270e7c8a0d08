/**
 * The one state of the open picture: what is asked for, with its history, and what is looked at.
 *
 * The server remembers the intent, with every plan that is asked for; how candidates are compared outlasts the page in this
 * browser; the rest lasts as long as the picture is open.
 */

import { createContext, useContext } from "react";
import { temporal } from "zundo";
import { type StoreApi, useStore } from "zustand";
import { createStore } from "zustand/vanilla";
import type { Intent, OwnFace, Recipe } from "../api/client";
import type { SheetPart } from "../api/queries";
import { keep, recall } from "../app/kept";
import { note } from "../app/messages";
import type { Layout } from "../stage/layout";
import type { Blend } from "./blend";
import { HAIR } from "./brush";
import type { Looking, Spotted } from "./looking";
import type { Pane } from "./panes";
import type { Scope } from "./treatments";
import { followed } from "./intent";

/** Changes that follow each other as fast as typing are undone together. */
const TOGETHER_MS = 800;
const STEPS_KEPT = 100;

/** What the panes show until the person chooses. */
const FIRST_PANES: Pane[] = [{ show: "plain", kernel: "bicubic" }, { show: "now" }];

export interface BenchState {
  intent: Intent;
  /** Which part of the picture the rail is about. */
  scope: Scope;
  /** The card of the rail that lies open. */
  card?: string;
  areasOpen: boolean;
  rehearsing: boolean;
  /** Where the view was when it last came to rest. */
  at?: Spotted;
  /** What of the print was in view then; nothing where the view is too far off to be the print's own pixels. */
  viewPart?: SheetPart;
  layout: Layout;
  panes: Pane[];
  /** Whether the curtain lies across. */
  across: boolean;
  /** The departure map, and the mask of what edges sharpen, in place of the pixels. */
  map: boolean;
  /** Whether the second candidate is shown as its difference from the first. */
  difference: boolean;
  edgeMask: boolean;
  /** Where wear of the print was found or marked, in place of the pixels. */
  wearShown: boolean;
  /** What the hand says of the print with a brush: that a place is worn, or that it is sound. */
  marking?: "worn" | "sound";
  /** Half the width of that brush, as a share of the picture's shorter side. */
  markRadius: number;
  /** Whether the stage is alone on the screen. */
  full: boolean;
  /** The control at hand that only blends. */
  blend?: Blend;
  facesShown: boolean;
  /** Whether the hand draws a face, from eye to eye. */
  drawingFace: boolean;
  /** The face that was gone to last; another object each time. */
  goingTo?: OwnFace;
  /** What was just done, in a sentence. */
  said?: string;
}

type Listed = Pick<BenchState, "layout" | "panes" | "across">;

export function benchStore(first: Intent, looking: Looking = {}) {
  // Nothing before it belongs together with the next change.
  let latest = 0;
  const store = createStore<BenchState>()(
    temporal(
      (): BenchState => ({
        intent: first,
        scope: "whole",
        areasOpen: false,
        rehearsing: false,
        at: looking.at,
        layout: looking.compare ?? recall<Layout>("layout") ?? "curtain",
        panes: looking.panes ?? recall<Pane[]>("panes") ?? FIRST_PANES,
        across: recall<boolean>("across") ?? false,
        map: false,
        difference: false,
        edgeMask: false,
        wearShown: false,
        markRadius: HAIR,
        full: false,
        facesShown: false,
        drawingFace: false,
      }),
      {
        partialize: ({ intent }) => ({ intent }),
        equality: (a, b) => a.intent === b.intent,
        limit: STEPS_KEPT,
        handleSet: (remember) => (past, replace, now, delta) => {
          const at = Date.now();
          if (at - latest >= TOGETHER_MS) (remember as (...all: unknown[]) => void)(past, replace, now, delta);
          latest = at;
        },
      },
    ),
  );
  const history = store.temporal.getState;
  return {
    ...store,
    change: (part: Partial<Intent>) => store.setState(({ intent }) => ({ intent: { ...intent, ...part } })),
    /** Takes a new suggestion over in the steps that nobody has changed since the old one: no step to undo. */
    follow: (old: Recipe, next: Recipe) => {
      history().pause();
      store.setState(({ intent }) => ({ intent: { ...intent, ...followed(intent, old, next) } }));
      history().resume();
    },
    undo: () => {
      history().undo();
      latest = 0;
    },
    redo: () => {
      history().redo();
      latest = 0;
    },
    /** What is remembered from picture to picture. */
    list: (part: Partial<Listed>) => {
      store.setState(part);
      for (const [name, value] of Object.entries(part)) keep(name, value);
    },
    say: (said: string | undefined) => {
      store.setState({ said });
      if (said) note(said);
    },
  };
}

export type BenchStore = ReturnType<typeof benchStore>;

const Current = createContext<BenchStore | undefined>(undefined);
export const BenchProvider = Current.Provider;

/** The store of the open picture. */
export function useBenchStore(): BenchStore {
  const store = useContext(Current);
  if (!store) throw new Error("no picture is open here");
  return store;
}

/** A part of the open picture's state; changes of others draw nothing anew. */
export function useBench<T>(select: (state: BenchState) => T): T {
  return useStore(useBenchStore() as StoreApi<BenchState>, select);
}

export interface IntentControl {
  intent: Intent;
  change: (part: Partial<Intent>) => void;
  follow: (old: Recipe, next: Recipe) => void;
  undo?: () => void;
  redo?: () => void;
}

/** What is asked for of a picture, and how it is changed. */
export function useIntent(store: BenchStore): IntentControl {
  const intent = useStore(store as StoreApi<BenchState>, (state) => state.intent);
  const past = useStore(store.temporal, (history) => history.pastStates.length);
  const future = useStore(store.temporal, (history) => history.futureStates.length);
  return {
    intent,
    change: store.change,
    follow: store.follow,
    undo: past > 0 ? store.undo : undefined,
    redo: future > 0 ? store.redo : undefined,
  };
}
