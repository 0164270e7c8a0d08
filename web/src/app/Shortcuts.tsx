/** The sheet of keys. */

import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle, Typography } from "@mui/material";
import { Fragment } from "react";

const KEYS: [string, string][] = [
  ["arrows", "move the picture (with Shift: further)"],
  ["+  and  −", "closer and further; the wheel does it at the pointer"],
  ["F", "the whole picture"],
  ["P", "one pixel of the print for one of the screen"],
  ["1 to 8", "to a spot"],
  ["S", "pin a spot in the middle of the view"],
  ["V", "the next way of comparing"],
  [",  and  .", "move the curtain"],
  ["B", "blink: one candidate, then the other, in the same place"],
  ["O, held", "the first pane's candidate everywhere"],
  ["M", "the departure map"],
  ["[  and  ]", "the treatment before and after"],
  ["N", "the navigator"],
  ["double click", "to 100 % at the pointer, and back to the whole"],
  ["Ctrl Z, Ctrl Shift Z", "undo, redo what was asked for"],
  ["Ctrl Enter", "run"],
  ["?", "this sheet"],
];

export function Shortcuts(props: { open: boolean; onClose: () => void }) {
  return (
    <Dialog open={props.open} onClose={props.onClose} aria-labelledby="shortcuts">
      <DialogTitle id="shortcuts">Keys</DialogTitle>
      <DialogContent>
        <Box
          component="dl"
          sx={{ m: 0, display: "grid", gridTemplateColumns: "max-content 1fr", columnGap: 3, rowGap: 1 }}
        >
          {KEYS.map(([key, effect]) => (
            <Fragment key={key}>
              <Typography component="dt" variant="body2" sx={{ fontWeight: 600 }}>
                {key}
              </Typography>
              <Typography component="dd" variant="body2" sx={{ m: 0 }}>
                {effect}
              </Typography>
            </Fragment>
          ))}
        </Box>
        <Typography variant="caption" sx={{ color: "text.secondary", display: "block", mt: 2 }}>
          Keys for the picture work while the stage has the focus: click it, or reach it with Tab.
        </Typography>
      </DialogContent>
      <DialogActions>
        <Button onClick={props.onClose}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
