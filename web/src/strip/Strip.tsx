/** The test strip: treatments side by side at the picture's spots, at the print's scale, openly or blind. */

import {
  Alert,
  Box,
  Button,
  FormControlLabel,
  Stack,
  Switch,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from "@mui/material";
import { useState } from "react";
import { type Letter, type Original, type Plan, type Intent, answered, api, sentence } from "../api/client";
import { useApply } from "../api/queries";
import { useKept } from "../app/kept";
import { useRoom } from "../app/room";
import { planned } from "../bench/panes";
import { useSpots } from "../bench/spots";
import { added, letters, stepsOf, switched, treatmentOf } from "../bench/treatments";
import type { IntentControl } from "../bench/state";
import { inverse, through } from "../stage/affine";
import { ColumnHead } from "./ColumnHead";
import { SpotRow } from "./SpotRow";
import { cutAround, shuffled } from "./cells";
import type { Column } from "./columns";

const SCALES = [0.5, 1, 2] as const;
/** Rows share the height that there is, within reason. */
const ROW_HEIGHTS = [150, 340] as const;
const HEAD_HEIGHT = 72;
const NAME_WIDTH = 96;
const FIRST_ROOM = { width: 900, height: 500 };

export function Strip(props: {
  original: Original;
  intent: Intent;
  plan: Plan;
  control: IntentControl;
  onSay: (text: string) => void;
  onBench: () => void;
}) {
  const { original, intent, plan, control, onSay } = props;
  const spots = useSpots(original);
  const [scale, setScale] = useKept<number>("strip-scale", 1);
  const [order, setOrder] = useState<Letter[]>();
  const [chosen, setChosen] = useState<{ letter: Letter; blind: boolean }>();
  const [busy, setBusy] = useState(false);
  const [grid, room] = useRoom(FIRST_ROOM);

  const all = letters(intent);
  // A treatment that was added or removed meanwhile ends the blind round.
  const blind = order?.length === all.length && order.every((l) => all.includes(l)) ? order : undefined;
  const column = (letter: Letter): Column[] => {
    const { treatment, description: words } = planned(plan, intent, letter);
    return treatment ? [{ key: letter, letter, treatment, words }] : [];
  };
  const reference: Column = { key: "plain", treatment: plan.plain.bicubic, words: "Original, bicubic" };
  const columns = blind ? blind.flatMap(column) : [reference, ...all.flatMap(column)];
  const width = Math.max(120, Math.floor((room.width - NAME_WIDTH) / columns.length) - 8);
  const share = Math.floor((room.height - HEAD_HEIGHT) / Math.max(1, spots.spots.length)) - 8;
  const height = Math.min(ROW_HEIGHTS[1], Math.max(ROW_HEIGHTS[0], share));
  const ratio = window.devicePixelRatio;

  const choose = async (letter: Letter) => {
    setBusy(true);
    try {
      const candidates = all
        .flatMap(column)
        .map((c) => ({ letter: c.key, treatment: c.treatment, description: c.words }));
      const body = { candidates, chosen: letter, spots: spots.spots, blind: blind !== undefined };
      await answered(api.POST("/api/v1/originals/{id}/decisions", { params: { path: { id: original.id } }, body }));
      control.change(switched(control.intent, letter));
      setChosen({ letter, blind: blind !== undefined });
      setOrder(undefined);
    } catch (error) {
      onSay(sentence(error));
    } finally {
      setBusy(false);
    }
  };
  const spread = useSpread(original, control, onSay);
  const more = added(control.intent);

  return (
    <Box
      component="section"
      aria-label="Test strip"
      sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column", bgcolor: "background.default" }}
    >
      <StripBar
        scale={scale}
        onScale={setScale}
        blind={blind !== undefined}
        onBlind={
          all.length < 2
            ? undefined
            : (on) => {
                setChosen(undefined);
                setOrder(on ? shuffled(all, Math.random) : undefined);
              }
        }
        onAdd={more && (() => control.change(more))}
        onBench={props.onBench}
      />
      {chosen && (
        <Decision {...chosen} onClose={() => setChosen(undefined)} onSpread={() => void spread(chosen.letter)} />
      )}
      {all.length < 2 && (
        <Typography variant="body2" sx={{ px: 2, py: 1, color: "text.secondary" }}>
          There is one treatment so far. Add another, change it on the rail below, and compare them here.
        </Typography>
      )}
      <Box ref={grid} sx={{ flex: 1, minHeight: 0, overflow: "auto", px: 2, pb: 2 }}>
        <Box
          role="table"
          aria-label="Treatments by spots"
          sx={{
            display: "grid",
            gridTemplateColumns: `${NAME_WIDTH}px repeat(${columns.length}, ${width}px)`,
            columnGap: 1,
            rowGap: 1,
          }}
        >
          <Box role="row" sx={{ display: "contents" }}>
            <Box role="columnheader" />
            {columns.map((c, i) => (
              <ColumnHead
                key={c.key}
                name={blind ? `Candidate ${i + 1}` : c.letter ? `Treatment ${c.letter}` : "Reference"}
                words={blind ? "" : c.words}
                now={!blind && c.letter === (intent.letter ?? "A")}
                won={chosen?.letter === c.letter && c.letter !== undefined}
                busy={busy}
                onTurnTo={
                  !blind && c.letter ? () => control.change(switched(control.intent, c.letter ?? "A")) : undefined
                }
                onChoose={c.letter && all.length > 1 ? () => void choose(c.letter ?? "A") : undefined}
              />
            ))}
          </Box>
          {spots.spots.map((spot, row) => (
            <SpotRow
              key={`${row} ${spot.name}`}
              spot={spot}
              number={row + 1}
              columns={columns}
              names={columns.map((c, i) =>
                blind ? `candidate ${i + 1}` : c.letter ? `treatment ${c.letter}` : "the reference",
              )}
              cut={(s) =>
                cutAround(
                  s,
                  plan.place,
                  plan.resolved.factor,
                  plan.sheet,
                  (width * ratio) / scale,
                  (height * ratio) / scale,
                )
              }
              hash={original.hash}
              height={height}
              squares={scale > 1}
              onShift={(dx, dy) => {
                const k = ratio / scale / plan.resolved.factor;
                const at = through(plan.place, spot);
                const to = through(inverse(plan.place), { x: at.x - dx * k, y: at.y - dy * k });
                const { width: w, height: h } = original.facts.size;
                const moved = { ...spot, x: Math.min(w, Math.max(0, to.x)), y: Math.min(h, Math.max(0, to.y)) };
                void spots
                  .set(spots.spots.map((s, i) => (i === row ? moved : s)))
                  .catch((e: unknown) => onSay(sentence(e)));
              }}
            />
          ))}
        </Box>
        {spots.spots.length === 0 && (
          <Typography variant="body2" sx={{ color: "text.secondary", mt: 2 }}>
            This picture has no spots: pin some on the bench, under Spots.
          </Typography>
        )}
      </Box>
    </Box>
  );
}

/** Gives a treatment to all pictures of the subject. */
function useSpread(original: Original, control: IntentControl, onSay: (text: string) => void) {
  const apply = useApply(original);
  return async (letter: Letter) => {
    const treated = treatmentOf(control.intent, letter);
    if (!treated) return;
    try {
      const { others } = await apply(stepsOf(treated), "same subject");
      onSay(
        others === 0
          ? "No other picture of the order has this subject"
          : `${others} more ${others === 1 ? "picture has" : "pictures have"} treatment ${letter} now`,
      );
    } catch (error) {
      onSay(sentence(error));
    }
  };
}

function StripBar(props: {
  scale: number;
  onScale: (scale: number) => void;
  blind: boolean;
  /** Nothing where there is nothing to choose between. */
  onBlind?: (on: boolean) => void;
  onAdd?: () => void;
  onBench: () => void;
}) {
  return (
    <Stack
      direction="row"
      spacing={2}
      sx={{ px: 2, py: 1, alignItems: "center", borderBottom: 1, borderColor: "divider" }}
    >
      <Typography variant="h2">Test strip</Typography>
      <ToggleButtonGroup
        exclusive
        value={props.scale}
        aria-label="Scale of the print"
        onChange={(_, next: number | null) => next !== null && props.onScale(next)}
      >
        {SCALES.map((s) => (
          <ToggleButton key={s} value={s}>
            {s * 100} %
          </ToggleButton>
        ))}
      </ToggleButtonGroup>
      <FormControlLabel
        control={
          <Switch
            size="small"
            checked={props.blind}
            disabled={!props.onBlind}
            onChange={(_, on) => props.onBlind?.(on)}
          />
        }
        label={<Typography variant="body2">Blind: letters hidden and shuffled until you choose</Typography>}
      />
      <Box sx={{ flex: 1 }} />
      <Button variant="outlined" disabled={!props.onAdd} onClick={props.onAdd}>
        Another treatment
      </Button>
      <Button onClick={props.onBench}>Back to the bench</Button>
    </Stack>
  );
}

/** What was chosen, and the offer to do so elsewhere. */
function Decision(props: { letter: Letter; blind: boolean; onClose: () => void; onSpread: () => void }) {
  return (
    <Alert
      severity="success"
      square
      icon={false}
      onClose={props.onClose}
      data-testid="decision"
      sx={{ bgcolor: "background.paper", color: "text.primary", borderBottom: 1, borderColor: "divider" }}
    >
      Treatment {props.letter} {props.blind ? "was chosen blind" : "is chosen"} and is on the rail now; the decision is
      written down with its spots. <Button onClick={props.onSpread}>Use it for all pictures of this subject</Button>
    </Alert>
  );
}
