/**
 * The stage on its canvas, and what is followed of what it shows.
 *
 * While a hand moves the picture, what is shown changes with every frame. Whoever follows it picks what it needs, or waits until
 * it rests: nothing else is drawn anew meanwhile.
 */

import { useCallback, useEffect, useState, useSyncExternalStore } from "react";
import { NOTHING_SEEN, type Seen, Stage } from "../stage/stage";
import type { Point } from "../stage/tools";

/** A stage on the canvas that `attach` is the ref of; none until it is there. */
export function useStage() {
  const [stage, setStage] = useState<Stage>();
  const attach = useCallback((canvas: HTMLCanvasElement | null) => {
    if (!canvas) return;
    const made = new Stage(canvas);
    setStage(made);
    return () => {
      made.dispose();
      setStage(undefined);
    };
  }, []);
  return { stage, attach };
}

/** What `pick` takes of what is shown: the component is drawn anew only when that is another value. */
export function useSeen<T>(stage: Stage | undefined, pick: (seen: Seen) => T): T {
  return useSyncExternalStore(
    useCallback((listener) => stage?.subscribe(listener) ?? (() => undefined), [stage]),
    () => pick(stage?.snapshot() ?? NOTHING_SEEN),
  );
}

/** What is shown, as it was when it last rested for so long. */
export function useSeenAtRest(stage: Stage | undefined, milliseconds: number): Seen {
  const [rested, setRested] = useState(NOTHING_SEEN);
  useEffect(() => {
    if (!stage) return;
    const rest = afterRest(milliseconds, setRested);
    rest.begin(stage.snapshot());
    const leave = stage.subscribe(() => rest.begin(stage.snapshot()));
    return () => {
      leave();
      rest.end();
    };
  }, [stage, milliseconds]);
  return rested;
}

/** Where the pointer last rested for so long, in pixels of the original; nothing where it has left the picture's panes. */
export function usePointerAtRest(stage: Stage | undefined, milliseconds: number): Point | undefined {
  const [rested, setRested] = useState<Point>();
  useEffect(() => {
    if (!stage) return;
    const rest = afterRest(milliseconds, setRested);
    const leave = stage.onPointing(rest.begin);
    return () => {
      leave();
      rest.end();
    };
  }, [stage, milliseconds]);
  return rested;
}

/** Tells of the last value that was begun with, once no other has come for so long. */
function afterRest<T>(milliseconds: number, tell: (value: T) => void) {
  let timer: ReturnType<typeof setTimeout> | undefined;
  return {
    begin: (value: T) => {
      clearTimeout(timer);
      timer = setTimeout(() => tell(value), milliseconds);
    },
    end: () => clearTimeout(timer),
  };
}
