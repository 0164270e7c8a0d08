/** What is chosen of an order, and what can be done with it. */

import { Box, Button, Stack, ToggleButton, Typography } from "@mui/material";
import { useRef } from "react";
import { counted } from "../app/format";
import { FilePicker } from "../bench/FilePicker";

export function OrderActions(props: {
  count: number;
  chosen: number;
  results: number;
  unseen: number;
  both: boolean;
  onBoth: () => void;
  onChooseAll: (all: boolean) => void;
  onAdd: (files: File[]) => void;
  onEdit: () => void;
  onTakeOut: () => void;
  onLookThrough: () => void;
  onRun: () => void;
}) {
  const { count, chosen, unseen } = props;
  const input = useRef<HTMLInputElement>(null);
  const isAll = chosen === count;
  const what = chosen === 0 || isAll ? "all" : `${chosen}`;
  return (
    <Stack
      direction="row"
      spacing={1}
      useFlexGap
      sx={{ alignItems: "center", flexWrap: "wrap", ml: "-5px !important" }}
    >
      <Button color="inherit" disabled={count === 0} onClick={() => props.onChooseAll(!isAll)}>
        {isAll && count > 0 ? "Choose none" : "Choose all"}
      </Button>
      <Typography variant="body2" sx={{ color: "text.secondary", minWidth: 92 }} aria-live="polite">
        {chosen === 0 ? counted(count, "picture") : `${chosen} of ${count} chosen`}
      </Typography>
      <Button onClick={() => input.current?.click()}>Add pictures</Button>
      <FilePicker ref={input} onFiles={props.onAdd} />
      <Button disabled={count === 0} onClick={props.onEdit}>
        Change {what}
      </Button>
      <Button disabled={chosen === 0} onClick={props.onTakeOut}>
        Take out
      </Button>
      <Box sx={{ flex: 1 }} />
      <ToggleButton value="both" selected={props.both} disabled={props.results === 0} onChange={props.onBoth}>
        Before and after
      </ToggleButton>
      <Button disabled={unseen === 0} onClick={props.onLookThrough}>
        Look through{unseen > 0 && ` (${unseen})`}
      </Button>
      <Button variant="contained" disabled={count === 0} onClick={props.onRun} data-testid="batch">
        Run {what}
      </Button>
    </Stack>
  );
}
