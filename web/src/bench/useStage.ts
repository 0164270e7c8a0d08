/** The stage on its canvas, and who hears of what it shows. */

import { useCallback, useEffect, useRef, useState, useSyncExternalStore } from "react";
import { NOTHING_SEEN, type Seen, Stage } from "../stage/stage";
import type { Point } from "../stage/tools";

export interface StageHandle {
  goTo: (at: Point) => void;
  middle: () => Point;
}

export interface StageListener {
  onPointing: (at: Point | undefined) => void;
  onSeen: (seen: Seen) => void;
  /** A person moved the view. */
  onMoved: () => void;
  handle: (handle: StageHandle | undefined) => void;
}

export function useStage({ onPointing, onSeen, onMoved, handle }: StageListener) {
  const [stage, setStage] = useState<Stage>();
  const seen = useSyncExternalStore(
    useCallback((listener) => stage?.subscribe(listener) ?? (() => undefined), [stage]),
    () => stage?.snapshot() ?? NOTHING_SEEN,
  );
  const attach = useCallback((canvas: HTMLCanvasElement | null) => {
    if (!canvas) return;
    const made = new Stage(canvas);
    setStage(made);
    return () => {
      made.dispose();
      setStage(undefined);
    };
  }, []);
  useEffect(() => stage?.onPointing(onPointing), [stage, onPointing]);
  const moved = useRef(onMoved);
  useEffect(() => {
    moved.current = onMoved;
  });
  useEffect(() => stage?.onMoved(() => moved.current()), [stage]);
  useEffect(() => onSeen(seen), [seen, onSeen]);
  useEffect(() => {
    handle(stage && { goTo: (at) => stage.goToPlace(at), middle: () => stage.middle() });
    return () => handle(undefined);
  }, [stage, handle]);
  return { stage, attach, seen };
}
