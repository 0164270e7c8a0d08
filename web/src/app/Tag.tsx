/** A small sign in the upper left corner of a picture: which one it is. */

import { Typography } from "@mui/material";
import type { ReactNode } from "react";

export function Tag({ children }: { children: ReactNode }) {
  return (
    <Typography
      variant="caption"
      sx={{
        position: "absolute",
        left: 8,
        top: 8,
        px: 0.75,
        bgcolor: "background.paper",
        border: 1,
        borderColor: "divider",
      }}
    >
      {children}
    </Typography>
  );
}
