/** What the stage's own elements tell of what it shows: written there as it changes, as React would be busy with it in every frame. */

import { useEffect } from "react";
import type { Box } from "../stage/camera";
import type { Seen, Stage } from "../stage/stage";

/** `frame` holds the canvas; `names` are those of the candidates that it shows. */
export function useTold(stage: Stage | undefined, frame: HTMLElement | null, names: string): void {
  useEffect(() => {
    if (!stage || !frame) return;
    const tell = () => {
      const seen = stage.snapshot();
      frame.querySelector("canvas")?.setAttribute("aria-label", `${names}, at ${percentOf(seen.zoom)} per cent`);
      for (const [name, value] of Object.entries(factsOf(seen))) {
        if (value === undefined) frame.removeAttribute(`data-${name}`);
        else frame.setAttribute(`data-${name}`, value);
      }
    };
    tell();
    return stage.subscribe(tell);
  }, [stage, frame, names]);
}

const percentOf = (zoom: number) => Math.round(zoom * 100);

/** For tests. */
function factsOf({ panes, zoom, part, blend, curtain }: Seen): Record<string, string | undefined> {
  return {
    ready: String(panes.reduce((sum, p) => sum + p.ready, 0)),
    needed: String(panes.reduce((sum, p) => sum + p.needed, 0)),
    draft: panes.some((pane) => pane.draft) ? "true" : undefined,
    zoom: zoom.toFixed(4),
    middle: part && middleOf(part),
    blend,
    curtain: curtain.toFixed(4),
  };
}

/** As shares of the picture's sides. */
const middleOf = ({ left, top, right, bottom }: Box) =>
  `${((left + right) / 2).toFixed(3)} ${((top + bottom) / 2).toFixed(3)}`;
