/** A step on the process rail: its name and state in a line; its controls open upwards. */

import { Box, ButtonBase, Popover, Typography } from "@mui/material";
import { type ReactNode, useState } from "react";

/** Characters of a state that are always shown in full, as far as the rail has room for them. */
const SHORT = 16;

export function Card(props: {
  name: string;
  state: ReactNode;
  /** The controls; those that lead elsewhere close the card. */
  children: ReactNode | ((close: () => void) => ReactNode);
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const wordy = typeof props.state === "string" ? Math.max(0, props.state.length - SHORT) : 1;
  return (
    <>
      <ButtonBase
        aria-haspopup="dialog"
        aria-expanded={anchor !== null}
        onClick={(e) => setAnchor(e.currentTarget)}
        sx={{
          // As wide as what it says; where there is no room for all, the wordiest give way.
          flex: `1 ${wordy} auto`,
          minWidth: 84,
          px: 1.5,
          py: 1,
          display: "block",
          textAlign: "left",
          borderRight: 1,
          borderColor: "divider",
          "&:hover": { bgcolor: "action.hover" },
        }}
      >
        <Typography variant="caption" sx={{ color: "text.secondary", display: "block", lineHeight: 1.3 }}>
          {props.name}
        </Typography>
        <Typography variant="body2" component="span" noWrap sx={{ display: "block", fontWeight: 600 }}>
          {props.state}
        </Typography>
      </ButtonBase>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "top", horizontal: "left" }}
        transformOrigin={{ vertical: "bottom", horizontal: "left" }}
        // The picture above stays as bright as it is: it is what the controls are judged by.
        slotProps={{
          paper: { role: "dialog", "aria-label": props.name } as object,
          backdrop: { invisible: true },
        }}
      >
        <Box>{typeof props.children === "function" ? props.children(() => setAnchor(null)) : props.children}</Box>
      </Popover>
    </>
  );
}
