/** A picture of which it is not known yet what is to be shown: small, on the stage's ground, and what is waited for in words. */

import { Box, Typography } from "@mui/material";
import { type ReactNode, useEffect, useState } from "react";
import { STAGE_GROUND } from "../look/tokens";

/** A wait that is shorter needs no words. */
const SHORT_MS = 600;

export function Awaited(props: {
  original: number;
  /** Whether it is still waited for. */
  waiting: boolean;
  /** What went wrong. */
  children?: ReactNode;
}) {
  const [long, setLong] = useState(false);
  useEffect(() => {
    const timer = setTimeout(() => setLong(true), SHORT_MS);
    return () => clearTimeout(timer);
  }, []);
  return (
    <Box sx={{ flex: 1, minHeight: 0, position: "relative", bgcolor: STAGE_GROUND, display: "grid" }}>
      {/* As the stage shows it until anything else is there. */}
      <Box
        component="img"
        src={`/api/v1/originals/${props.original}/thumbnail`}
        alt=""
        sx={{ position: "absolute", inset: 16, width: "calc(100% - 32px)", height: "calc(100% - 32px)" }}
        style={{ objectFit: "contain" }}
      />
      <Box sx={{ position: "relative", placeSelf: "center", maxWidth: 560, m: 2 }}>
        {props.children}
        {props.waiting && long && (
          <Typography
            role="status"
            variant="body2"
            sx={{ px: 1.5, py: 1, bgcolor: "background.paper", border: 1, borderColor: "divider" }}
          >
            The picture is being read, and models are tried on its parts to see what suits it: a few seconds, once.
          </Typography>
        )}
      </Box>
    </Box>
  );
}
