/** The rehearsal of a picture: shrunk, enlarged again by every method, and each beside the picture as it is. */

import {
  Alert,
  Box,
  Button,
  FormControlLabel,
  LinearProgress,
  Stack,
  Switch,
  ToggleButton,
  ToggleButtonGroup,
  Tooltip,
  Typography,
} from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import {
  type Choice,
  type Original,
  type Rehearsal as Rehearsed,
  type RehearsalRequest,
  type Intent,
  answered,
  api,
  sentence,
} from "../api/client";
import { useRehearsal } from "../api/queries";
import { WholeScreen } from "../app/WholeScreen";
import { useOnDesk } from "../app/desk";
import { type Order, firstShown, toggled } from "./figures";
import { QualityAndTime } from "./QualityAndTime";
import { Figures } from "./Figures";
import { Crops } from "./Crops";

/** Parts that are looked at: few are there at once, many say more. */
const PART_COUNTS = [4, 9, 24];

export function Rehearsal(props: {
  original: Original;
  intent: Intent;
  onClose: () => void;
  /** Takes a candidate's way of enlarging over to the bench. */
  onTake: (enlarge: Choice, name: string) => void;
}) {
  const { original } = props;
  const client = useQueryClient();
  const rehearsal = useRehearsal(original.id);
  const kept = rehearsal.data ?? undefined;
  const [asked, setAsked] = useState<RehearsalRequest>({ parts: 9, put_back: false });
  const [part, setPart] = useState(0);
  const [chosen, setChosen] = useState<{ of: string; rows: number[] }>();
  const [order, setOrder] = useState<Order>({ by: "psnr", down: true });
  const begin = useMutation({
    mutationFn: (request: RehearsalRequest) =>
      answered(
        api.POST("/api/v1/originals/{id}/rehearsal", {
          params: { path: { id: original.id } },
          body: { ...request, intent: props.intent },
        }),
      ),
    onSuccess: (begun) => {
      client.setQueryData(["rehearsal", original.id], begun);
      setPart(0);
    },
  });
  const stop = useMutation({
    mutationFn: () =>
      answered(api.DELETE("/api/v1/originals/{id}/rehearsal", { params: { path: { id: original.id } } })),
    onSettled: () => client.invalidateQueries({ queryKey: ["rehearsal", original.id] }),
  });
  const ask = (change: Partial<RehearsalRequest>) => {
    const next = { ...asked, ...change };
    setAsked(next);
    begin.mutate(next);
  };
  // Whoever opens it wants to see one.
  const none = rehearsal.data === null;
  const { mutate } = begin;
  const opened = useRef(false);
  useEffect(() => {
    if (!none || opened.current) return;
    opened.current = true;
    mutate(asked);
  }, [none, mutate, asked]);

  const shown = chosen && kept && chosen.of === kept.began_at ? chosen.rows : firstShown(kept?.rows ?? []);
  const toggle = (row: number) => kept && setChosen({ of: kept.began_at, rows: toggled(shown, row) });
  const trouble = begin.error ?? rehearsal.error ?? stop.error;

  const parts = kept?.parts.length ?? 0;
  useOnDesk("rehearsal", {
    parts,
    goTo: setPart,
    step: (by) => setPart(Math.max(0, Math.min(parts - 1, part + by))),
  });

  return (
    <WholeScreen label="Rehearsal" onClose={props.onClose}>
      <Stack
        direction="row"
        spacing={2}
        sx={{ px: 2.5, py: 1.25, alignItems: "center", borderBottom: 1, borderColor: "divider" }}
      >
        <Typography variant="h1" component="h2">
          Rehearsal
        </Typography>
        <Typography variant="body2" noWrap sx={{ color: "text.secondary", flex: 1, minWidth: 0 }}>
          {original.name}, shrunk and enlarged again: what each method makes of what it cannot see
        </Typography>
        <ToggleButtonGroup
          exclusive
          value={kept?.factor ?? null}
          aria-label="How many times"
          onChange={(_, factor: number | null) => factor && ask({ factor })}
        >
          {[2, 3, 4].map((factor) => (
            <ToggleButton key={factor} value={factor}>
              {factor} times
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <ToggleButtonGroup
          exclusive
          value={asked.parts}
          aria-label="How many parts"
          onChange={(_, parts: number | null) => parts && ask({ parts, factor: kept?.factor })}
        >
          {PART_COUNTS.map((parts) => (
            <ToggleButton key={parts} value={parts}>
              {parts} parts
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <Tooltip title="Shrinking takes noise and compression away: put back what the picture has of them, and its treatment has to deal with that too">
          <FormControlLabel
            control={
              <Switch
                size="small"
                checked={kept?.is_put_back ?? false}
                onChange={(e) => ask({ put_back: e.target.checked, factor: kept?.factor })}
              />
            }
            label={<Typography variant="body2">noise and marks put back</Typography>}
            sx={{ mr: 0, whiteSpace: "nowrap" }}
          />
        </Tooltip>
        <Button onClick={props.onClose}>Close</Button>
      </Stack>
      <Progress kept={kept} onStop={() => stop.mutate()} onAgain={() => ask({ factor: kept?.factor })} />
      {trouble && (
        <Alert severity="error" sx={{ m: 1.5 }}>
          {sentence(trouble)}
        </Alert>
      )}
      {kept && (
        <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
          <Stack sx={{ width: 520, flexShrink: 0, borderRight: 1, borderColor: "divider", minHeight: 0 }}>
            <QualityAndTime kept={kept} shown={shown} onToggle={toggle} />
            <Box sx={{ flex: 1, minHeight: 0, overflowY: "auto" }}>
              <Figures
                kept={kept}
                order={order}
                onOrder={setOrder}
                shown={shown}
                onToggle={toggle}
                onTake={props.onTake}
              />
            </Box>
          </Stack>
          <Crops original={original} kept={kept} part={part} onPart={setPart} shown={shown} />
        </Box>
      )}
      {!kept && !trouble && <Box sx={{ flex: 1 }} aria-busy="true" />}
    </WholeScreen>
  );
}

function Progress(props: { kept?: Rehearsed; onStop: () => void; onAgain: () => void }) {
  const { kept } = props;
  const turns = kept ? kept.rows.reduce((sum, row) => sum + row.parts, 0) : 0;
  const all = kept ? kept.parts.length * Math.max(1, kept.rows.filter((row) => !row.trouble).length) : 1;
  return (
    <Box sx={{ borderBottom: 1, borderColor: "divider" }}>
      <LinearProgress
        variant="determinate"
        value={kept?.finished ? 100 : (turns / all) * 100}
        aria-label="Rehearsed"
        sx={{ height: 2 }}
      />
      <Stack direction="row" spacing={2} sx={{ px: 2.5, py: 0.5, alignItems: "center" }}>
        <Typography variant="caption" role="status" sx={{ flex: 1, color: "text.secondary" }}>
          {!kept
            ? "Choosing parts that stand for the picture"
            : kept.finished
              ? `${kept.parts.length} ${kept.parts.length === 1 ? "part" : "parts"} of the picture, ${kept.rows.length} methods. Click on a method to lay it beside the picture.`
              : `${kept.parts_done} of ${kept.parts.length} parts done; the figures get surer with each`}
        </Typography>
        {kept && !kept.finished ? (
          <Button onClick={props.onStop}>Stop</Button>
        ) : (
          <Button onClick={props.onAgain} disabled={!kept}>
            Once more
          </Button>
        )}
      </Stack>
    </Box>
  );
}
