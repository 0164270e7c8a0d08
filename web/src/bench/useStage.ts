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
  return useRested(stage, followSeen, NOTHING_SEEN, milliseconds);
}

/** Where the pointer last rested for so long, in pixels of the original; nothing where it has left the picture's panes. */
export function usePointerAtRest(stage: Stage | undefined, milliseconds: number): Point | undefined {
  return useRested(stage, followPointer, undefined, milliseconds);
}

/** Follows a stage until what is answered is called. */
type Follow<T> = (stage: Stage, tell: (value: T) => void) => () => void;

const followPointer: Follow<Point | undefined> = (stage, tell) => stage.onPointing(tell);

const followSeen: Follow<Seen> = (stage, tell) => {
  const now = () => tell(stage.snapshot());
  now();
  return stage.subscribe(now);
};

/** The last value that was told of, once no other has come for so long. `follow` is the same each time. */
function useRested<T>(stage: Stage | undefined, follow: Follow<T>, first: T, milliseconds: number): T {
  const [rested, setRested] = useState(first);
  useEffect(() => {
    if (!stage) return;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const leave = follow(stage, (value) => {
      clearTimeout(timer);
      timer = setTimeout(() => setRested(value), milliseconds);
    });
    return () => {
      leave();
      clearTimeout(timer);
    };
  }, [stage, follow, milliseconds]);
  return rested;
}
