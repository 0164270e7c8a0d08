/** The whole picture, small, with the part in view; a click goes there. */

import { styled } from "@mui/material";
import { OVER_PICTURE, SHORT_WINDOW } from "../look/tokens";
import type { Stage } from "../stage/stage";
import { useSeen } from "./useStage";

export function Navigator({ stage, thumbnail }: { stage?: Stage; thumbnail: string }) {
  if (!useSeen(stage, (seen) => seen.part !== undefined)) return null;
  return (
    <Small
      onClick={(e) => {
        const box = e.currentTarget.getBoundingClientRect();
        stage?.goTo((e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height);
      }}
    >
      <img src={thumbnail} alt="" style={{ maxWidth: 144, maxHeight: 112 }} />
      <PartInView stage={stage} />
    </Small>
  );
}

/** Drawn anew with every frame of a pan: its place is no style of its own each time. */
function PartInView({ stage }: { stage?: Stage }) {
  const part = useSeen(stage, (seen) => seen.part);
  if (!part) return null;
  const percent = (share: number) => `${share * 100}%`;
  const { left, top, right, bottom } = part;
  return (
    <Part
      style={{ left: percent(left), top: percent(top), width: percent(right - left), height: percent(bottom - top) }}
    />
  );
}

const Small = styled("div")(({ theme }) => ({
  position: "absolute",
  left: 12,
  bottom: 12,
  border: `2px solid ${theme.palette.background.paper}`,
  cursor: "pointer",
  lineHeight: 0,
  overflow: "hidden",
  [SHORT_WINDOW]: { display: "none" },
}));

const Part = styled("div")({
  position: "absolute",
  border: `1px solid ${OVER_PICTURE.line}`,
  boxShadow: `0 0 0 200px ${OVER_PICTURE.shade}`,
});
