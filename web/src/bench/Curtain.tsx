/** The movable edge between the original and the result: upright with the original on its left, or lying across with it above. */

import { Box } from "@mui/material";
import { type PointerEvent, useRef } from "react";
import { OVER_PICTURE } from "../look/tokens";
import type { Stage } from "../stage/stage";
import { useSeen } from "./useStage";

export function Curtain({ stage, across }: { stage?: Stage; across: boolean }) {
  const share = useSeen(stage, (seen) => seen.curtain);
  const onMove = (to: number) => stage?.setCurtain(to);
  const edge = useRef<HTMLDivElement>(null);
  const dragging = useRef(false);
  const follow = (e: PointerEvent) => {
    const box = edge.current?.parentElement?.getBoundingClientRect();
    if (!dragging.current || !box) return;
    onMove(across ? (e.clientY - box.top) / box.height : (e.clientX - box.left) / box.width);
  };
  const [back, on] = across ? ["ArrowUp", "ArrowDown"] : ["ArrowLeft", "ArrowRight"];
  const keys: Record<string, number> = { [back]: share - 0.02, [on]: share + 0.02, Home: 0, End: 1 };
  const [at, along, thickness, length] = across
    ? (["top", ["left", "right"], "height", "width"] as const)
    : (["left", ["top", "bottom"], "width", "height"] as const);
  const ends = Object.fromEntries(along.map((side) => [side, 0]));
  return (
    <Box
      ref={edge}
      role="slider"
      tabIndex={0}
      aria-label="Curtain"
      aria-orientation={across ? "vertical" : "horizontal"}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(share * 100)}
      aria-valuetext={`${Math.round(share * 100)} per cent original`}
      data-line
      onPointerDown={(e) => {
        dragging.current = true;
        e.currentTarget.setPointerCapture(e.pointerId);
      }}
      onPointerMove={follow}
      onPointerUp={() => (dragging.current = false)}
      onPointerCancel={() => (dragging.current = false)}
      onKeyDown={(e) => {
        const to = keys[e.key];
        if (to !== undefined) {
          e.preventDefault();
          onMove(to);
        }
      }}
      style={{ [at]: `calc(${share * 100}% - 10px)` }}
      sx={{
        position: "absolute",
        ...ends,
        [thickness]: 20,
        cursor: across ? "ns-resize" : "ew-resize",
        touchAction: "none",
        "&::before": {
          content: '""',
          position: "absolute",
          [at]: 9,
          ...ends,
          [thickness]: "2px",
          bgcolor: OVER_PICTURE.line,
          boxShadow: `0 0 0 1px ${OVER_PICTURE.rim}`,
        },
        "&::after": {
          content: '""',
          position: "absolute",
          [at]: 3,
          [across ? "left" : "top"]: "calc(50% - 22px)",
          [thickness]: 14,
          [length]: 44,
          bgcolor: "background.paper",
          border: "1px solid",
          borderColor: "text.primary",
        },
      }}
    />
  );
}
