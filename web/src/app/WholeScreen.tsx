import { Dialog, Stack } from "@mui/material";
import type { ReactNode } from "react";
import { WHOLE_SCREEN } from "./keymap";

/** A view of its own over everything else, until it is closed; both the dialog and its paper are named for who cannot see it. */
export function WholeScreen(props: { label: string; onClose: () => void; children: ReactNode }) {
  return (
    <Dialog
      fullScreen
      open
      onClose={props.onClose}
      aria-label={props.label}
      {...{ [WHOLE_SCREEN]: true }}
      slotProps={{ paper: { "aria-label": props.label } }}
    >
      <Stack sx={{ height: "100%", bgcolor: "background.default" }}>{props.children}</Stack>
    </Dialog>
  );
}
