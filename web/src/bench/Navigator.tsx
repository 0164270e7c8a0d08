/** The whole picture, small, with the part in view; a click goes there. */

import { Box } from "@mui/material";
import type { Box as PartBox } from "../stage/camera";
import { OVER_PICTURE, SHORT_WINDOW } from "../look/tokens";

export function Navigator(props: { thumbnail: string; part: PartBox; onGo: (x: number, y: number) => void }) {
  const { left, top, right, bottom } = props.part;
  const percent = (share: number) => `${share * 100}%`;
  return (
    <Box
      onClick={(e) => {
        const box = e.currentTarget.getBoundingClientRect();
        props.onGo((e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height);
      }}
      sx={{
        [SHORT_WINDOW]: { display: "none" },
        position: "absolute",
        left: 12,
        bottom: 12,
        border: 2,
        borderColor: "background.paper",
        cursor: "pointer",
        lineHeight: 0,
        overflow: "hidden",
      }}
    >
      <img src={props.thumbnail} alt="" style={{ maxWidth: 144, maxHeight: 112 }} />
      <Box
        sx={{
          position: "absolute",
          left: percent(left),
          top: percent(top),
          width: percent(right - left),
          height: percent(bottom - top),
          border: `1px solid ${OVER_PICTURE.line}`,
          boxShadow: `0 0 0 200px ${OVER_PICTURE.shade}`,
        }}
      />
    </Box>
  );
}
