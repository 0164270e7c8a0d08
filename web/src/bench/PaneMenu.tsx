/** What a pane is to show. */

import { Menu, MenuItem } from "@mui/material";
import { rules } from "../api/rules";
import { type Pane, type Source, linesUp, plainName } from "./panes";
import { letters } from "./treatments";

export function PaneMenu(props: {
  anchor?: HTMLElement;
  source: Source;
  onClose: () => void;
  onChoose: (pane: Pane) => void;
}) {
  const { source, onChoose } = props;
  const { intent, plan, results } = source;
  return (
    <Menu open={props.anchor !== undefined} anchorEl={props.anchor} onClose={props.onClose}>
      {rules().kernels.map(({ kernel }) => (
        <MenuItem key={kernel} onClick={() => onChoose({ show: "plain", kernel })}>
          {plainName(kernel)}
        </MenuItem>
      ))}
      <MenuItem onClick={() => onChoose({ show: "now" })}>The treatment on the rail</MenuItem>
      {letters(intent).length > 1 &&
        letters(intent).map((letter) => (
          <MenuItem
            key={letter}
            onClick={() => onChoose(letter === intent.letter ? { show: "now" } : { show: "letter", letter })}
          >
            Treatment {letter}
          </MenuItem>
        ))}
      {results.map((result) => (
        <MenuItem
          key={result.id}
          disabled={!linesUp(result, plan, intent)}
          onClick={() => onChoose({ show: "result", id: result.id })}
        >
          Finished: {result.file_name}
          {linesUp(result, plan, intent) ? "" : " (another crop)"}
        </MenuItem>
      ))}
    </Menu>
  );
}
