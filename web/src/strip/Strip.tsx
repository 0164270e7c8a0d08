/** The test strip: treatments side by side at the picture's spots, at the print's scale, openly or blind. */

import {
  Alert,
  Box,
  Button,
  ButtonBase,
  FormControlLabel,
  Stack,
  Switch,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from "@mui/material";
import { type PointerEvent, useEffect, useRef, useState } from "react";
import { type Letter, type Original, type Plan, type Spot, type Intent, answered, api, sentence } from "../api/client";
import { useApply } from "../api/queries";
import { useKept } from "../app/kept";
import { planned } from "../bench/panes";
import { useSpots } from "../bench/spots";
import { added, letters, stepsOf, switched, treatmentOf } from "../bench/treatments";
import type { IntentControl } from "../bench/state";
import { inverse, through } from "../stage/affine";
import { cutAround, shuffled } from "./cells";

const SCALES = [0.5, 1, 2] as const;
/** Rows share the height that there is, within reason. */
const ROW_HEIGHTS = [150, 340] as const;
const HEAD_HEIGHT = 72;
const NAME_WIDTH = 96;

interface Column {
  key: string;
  letter?: Letter;
  treatment: string;
  words: string;
}

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
  const apply = useApply(original);
  const grid = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState({ width: 900, height: 500 });
  useEffect(() => {
    if (!grid.current) return;
    const observer = new ResizeObserver(([entry]) => entry && setRoom(entry.contentRect));
    observer.observe(grid.current);
    return () => observer.disconnect();
  }, []);

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
  const spread = async (letter: Letter) => {
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
  const more = added(control.intent);

  return (
    <Box
      component="section"
      aria-label="Test strip"
      sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column", bgcolor: "background.default" }}
    >
      <Stack
        direction="row"
        spacing={2}
        sx={{ px: 2, py: 1, alignItems: "center", borderBottom: 1, borderColor: "divider" }}
      >
        <Typography variant="h2">Test strip</Typography>
        <ToggleButtonGroup
          exclusive
          value={scale}
          aria-label="Scale of the print"
          onChange={(_, next: number | null) => next !== null && setScale(next)}
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
              checked={blind !== undefined}
              disabled={all.length < 2}
              onChange={(_, on) => {
                setChosen(undefined);
                setOrder(on ? shuffled(all, Math.random) : undefined);
              }}
            />
          }
          label={<Typography variant="body2">Blind: letters hidden and shuffled until you choose</Typography>}
        />
        <Box sx={{ flex: 1 }} />
        <Button variant="outlined" disabled={!more} onClick={() => more && control.change(more)}>
          Another treatment
        </Button>
        <Button onClick={props.onBench}>Back to the bench</Button>
      </Stack>
      {chosen && (
        <Alert
          severity="success"
          square
          icon={false}
          onClose={() => setChosen(undefined)}
          data-testid="decision"
          sx={{ bgcolor: "background.paper", color: "text.primary", borderBottom: 1, borderColor: "divider" }}
        >
          Treatment {chosen.letter} {chosen.blind ? "was chosen blind" : "is chosen"} and is on the rail now; the
          decision is written down with its spots.{" "}
          <Button onClick={() => void spread(chosen.letter)}>Use it for all pictures of this subject</Button>
        </Alert>
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

function ColumnHead(props: {
  name: string;
  words: string;
  now: boolean;
  won: boolean;
  busy: boolean;
  onTurnTo?: () => void;
  onChoose?: () => void;
}) {
  return (
    <Box
      role="columnheader"
      sx={{
        position: "sticky",
        top: 0,
        zIndex: 1,
        bgcolor: "background.default",
        borderBottom: 2,
        borderColor: props.now || props.won ? "primary.main" : "divider",
        py: 1,
        minWidth: 0,
      }}
    >
      <Stack direction="row" sx={{ alignItems: "center" }}>
        <ButtonBase
          disabled={!props.onTurnTo}
          onClick={props.onTurnTo}
          title={props.onTurnTo && "Put it on the rail below, to change it"}
          sx={{ font: "inherit", fontWeight: 600, fontSize: 14, color: props.now ? "primary.main" : "text.primary" }}
        >
          {props.name}
          {props.won ? ", chosen" : ""}
        </ButtonBase>
        <Box sx={{ flex: 1 }} />
        {props.onChoose && (
          <Button disabled={props.busy} onClick={props.onChoose} aria-label={`Choose ${props.name}`}>
            Choose
          </Button>
        )}
      </Stack>
      <Typography variant="caption" noWrap title={props.words} sx={{ display: "block", color: "text.secondary" }}>
        {props.words || "\u00a0"}
      </Typography>
    </Box>
  );
}

function SpotRow(props: {
  spot: Spot;
  number: number;
  columns: Column[];
  names: string[];
  cut: (spot: Spot) => { x: number; y: number; width: number; height: number };
  hash: string;
  height: number;
  squares: boolean;
  onShift: (dx: number, dy: number) => void;
}) {
  const [drag, setDrag] = useState<{ x: number; y: number; dx: number; dy: number }>();
  const { x, y, width, height } = props.cut(props.spot);
  const grab = (e: PointerEvent<HTMLElement>) => {
    e.currentTarget.setPointerCapture(e.pointerId);
    setDrag({ x: e.clientX, y: e.clientY, dx: 0, dy: 0 });
  };
  const move = (e: PointerEvent) => drag && setDrag({ ...drag, dx: e.clientX - drag.x, dy: e.clientY - drag.y });
  const letGo = () => {
    if (drag && Math.hypot(drag.dx, drag.dy) > 2) props.onShift(drag.dx, drag.dy);
    setDrag(undefined);
  };
  return (
    <Box role="row" sx={{ display: "contents" }}>
      <Box role="rowheader" sx={{ pt: 1 }}>
        <Typography variant="body2" sx={{ fontWeight: 600 }}>
          {props.number}
        </Typography>
        <Typography variant="caption" sx={{ color: "text.secondary" }}>
          {props.spot.name}
        </Typography>
      </Box>
      {props.columns.map((column, i) => (
        <Box
          key={column.key}
          role="cell"
          sx={{ height: props.height, bgcolor: "#777", overflow: "hidden", cursor: "grab", touchAction: "none" }}
          title="Drag to shift the spot in all columns"
          onPointerDown={grab}
          onPointerMove={move}
          onPointerUp={letGo}
          onPointerCancel={() => setDrag(undefined)}
        >
          <Crop
            address={`/api/v1/crops/${props.hash}/${column.treatment}?x=${x}&y=${y}&width=${width}&height=${height}`}
            alt={`${props.spot.name}, ${props.names[i] ?? ""}`}
            squares={props.squares}
            shift={drag ? [drag.dx, drag.dy] : [0, 0]}
          />
        </Box>
      ))}
    </Box>
  );
}

/** A part of a result; the last one stays until the next is there. */
function Crop(props: { address: string; alt: string; squares: boolean; shift: [number, number] }) {
  const [here, setHere] = useState<string>();
  useEffect(() => {
    const image = new Image();
    image.onload = () => setHere(props.address);
    image.src = props.address;
    return () => {
      image.onload = null;
      // Gives up what is no longer wanted, and with it the server's work.
      if (!image.complete) image.src = "";
    };
  }, [props.address]);
  return here === undefined ? null : (
    <img
      src={here}
      alt={props.alt}
      data-ready={here === props.address}
      draggable={false}
      style={{
        width: "100%",
        height: "100%",
        objectFit: "cover",
        imageRendering: props.squares ? "pixelated" : undefined,
        transform: `translate(${props.shift[0]}px, ${props.shift[1]}px)`,
      }}
    />
  );
}
