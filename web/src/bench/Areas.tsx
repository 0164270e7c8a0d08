/** Areas: parts of the picture with settings of their own, drawn on the stage. */

import DeleteOutlineIcon from "@mui/icons-material/DeleteOutlined";
import { rules } from "../api/rules";
import {
  Box,
  Button,
  FormControlLabel,
  IconButton,
  Paper,
  Slider,
  Stack,
  Switch,
  TextField,
  ToggleButton,
  ToggleButtonGroup,
  Tooltip,
  Typography,
} from "@mui/material";
import { useMemo } from "react";
import type { Affine, Area, Mask, Intent } from "../api/client";
import { inverse, through } from "../stage/affine";
import { Brush, Line, Pick, type Point, type Tool } from "../stage/tools";
import { type Scope, changeArea, stepsOf } from "./treatments";

const KINDS = {
  painted: ["Paint", "Paint over it with a brush"],
  gradient: ["Gradient", "All of it on one side of a line, fading to none: horizons"],
  tone: ["By tone", "What is about as light as a place that you point at"],
  colour: ["By colour", "What has about the colour of a place that you point at"],
} as const;
export type Kind = keyof typeof KINDS;

/** How the brush is set, in shares of the picture's shorter side. */
export interface BrushSettings {
  radius: number;
  feather: number;
  erases: boolean;
}

export const FIRST_BRUSH: BrushSettings = { radius: 0.05, feather: 0.5, erases: false };

const REACH = { tone: 12, colour: 14 };

/** An area of a kind before anything of it is drawn. */
export function emptyMask(kind: Kind, size: { width: number; height: number }): Mask {
  const middle = { x: size.width / 2, y: size.height / 2 };
  switch (kind) {
    case "painted":
      return { by: "painted", strokes: [], inverted: false };
    case "gradient":
      return {
        by: "gradient",
        from: { ...middle, y: size.height * 0.35 },
        to: { ...middle, y: size.height * 0.6 },
        inverted: false,
      };
    case "tone":
      return { by: "tone", at: middle, reach: REACH.tone, inverted: false };
    case "colour":
      return { by: "colour", at: middle, reach: REACH.colour, inverted: false };
  }
}

/** A mask after the hand has drawn on it; places are on the original. */
export function drawn(mask: Mask, brush: BrushSettings, side: number, points: Point[]): Mask {
  const [first, last] = [points[0], points.at(-1)];
  if (!first || !last) return mask;
  const { inverted } = mask;
  switch (mask.by) {
    case "painted": {
      const stroke = {
        points,
        radius: Math.max(0.5, brush.radius * side),
        feather: brush.feather,
        erases: brush.erases,
      };
      return { by: "painted", strokes: [...mask.strokes, stroke], inverted };
    }
    case "gradient": {
      const short = Math.hypot(last.x - first.x, last.y - first.y) < 2;
      return short ? mask : { by: "gradient", from: first, to: last, inverted };
    }
    case "tone":
      return { by: "tone", at: last, reach: mask.reach, inverted };
    case "colour":
      return { by: "colour", at: last, reach: mask.reach, inverted };
  }
}

/** The tool that draws an area; `place` leads from the original to the stage. */
export function useAreaTool(
  area: Area | undefined,
  brush: BrushSettings,
  place: Affine | undefined,
  size: { width: number; height: number },
  onDrawn: (mask: Mask) => void,
): Tool | undefined {
  const mask = area?.mask;
  return useMemo(() => {
    if (!mask || !place) return undefined;
    const side = Math.min(size.width, size.height);
    const back = inverse(place);
    const take = (points: Point[]) =>
      onDrawn(
        drawn(
          mask,
          brush,
          side,
          points.map((p) => through(back, p)),
        ),
      );
    switch (mask.by) {
      case "painted":
        return new Brush(brush.radius * side, brush.erases, take);
      case "gradient":
        return new Line((from, to) => take([from, to]), [through(place, mask.from), through(place, mask.to)]);
      default:
        return new Pick((at) => take([at]));
    }
  }, [mask, brush, place, size.width, size.height, onDrawn]);
}

interface AreasProps {
  intent: Intent;
  /** Areas that are offered for what the picture shows. */
  offered?: Area[];
  size: { width: number; height: number };
  scope: Scope;
  onScope: (scope: Scope) => void;
  change: (part: Partial<Intent>) => void;
  drawing: boolean;
  onDrawing: (drawing: boolean) => void;
  shown: boolean;
  onShown: (shown: boolean) => void;
  brush: BrushSettings;
  onBrush: (brush: BrushSettings) => void;
  onClose: () => void;
}

/** A panel beside the stage, which stays in sight and free for drawing. */
export function AreasPanel(props: AreasProps) {
  const { intent, scope, change } = props;
  const areas = intent.areas ?? [];
  const area = scope === "whole" ? undefined : areas[scope];
  const add = (kind: Kind) => {
    const used = new Set(areas.map((a) => a.name));
    let number = areas.length + 1;
    while (used.has(`Area ${number}`)) number++;
    const fresh: Area = { name: `Area ${number}`, mask: emptyMask(kind, props.size), steps: stepsOf(intent) };
    take(fresh);
    props.onDrawing(true);
  };
  const take = (fresh: Area) => {
    change({ areas: [...areas, fresh] });
    props.onScope(areas.length);
    props.onShown(true);
  };
  const offered = (props.offered ?? []).filter((one) => areas.every((a) => a.name !== one.name));
  return (
    <Paper
      role="region"
      aria-label="Areas"
      sx={{
        width: 320,
        flexShrink: 0,
        overflowY: "auto",
        borderLeft: 1,
        borderColor: "divider",
        p: 2,
      }}
    >
      <Stack spacing={1.5}>
        <Stack direction="row" sx={{ alignItems: "center", justifyContent: "space-between" }}>
          <Typography variant="h2">Areas</Typography>
          <Button onClick={props.onClose}>Done</Button>
        </Stack>
        <ToggleButtonGroup
          exclusive
          orientation="vertical"
          aria-label="Settings are for"
          value={scope}
          onChange={(_, next: Scope | null) => next !== null && props.onScope(next)}
        >
          <ToggleButton value="whole" sx={{ justifyContent: "flex-start" }}>
            Whole picture
          </ToggleButton>
          {areas.map((a, i) => (
            <ToggleButton key={i} value={i} sx={{ justifyContent: "flex-start" }}>
              {a.name}
              {a.mask.inverted ? ", inverted" : ""}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <Box>
          <Typography variant="caption" sx={{ color: "text.secondary" }}>
            A new area
          </Typography>
          <Stack direction="row" spacing={0.5}>
            {(Object.keys(KINDS) as Kind[]).map((kind) => (
              <Tooltip key={kind} title={KINDS[kind][1]}>
                <span>
                  <Button
                    variant="outlined"
                    disabled={areas.length >= rules().most_areas}
                    onClick={() => add(kind)}
                    sx={{ whiteSpace: "nowrap" }}
                  >
                    {KINDS[kind][0]}
                  </Button>
                </span>
              </Tooltip>
            ))}
          </Stack>
        </Box>
        {offered.length > 0 && (
          <Box>
            <Typography variant="caption" sx={{ color: "text.secondary" }}>
              Where it shows something else than the rest
            </Typography>
            <Stack spacing={0.5} sx={{ alignItems: "start" }}>
              {offered.map((one) => (
                <Button
                  key={one.name}
                  variant="outlined"
                  disabled={areas.length >= rules().most_areas}
                  title="An area with the models of what it shows; everything about it can be changed"
                  onClick={() => take(one)}
                >
                  {one.name}
                </Button>
              ))}
            </Stack>
          </Box>
        )}
        {area && scope !== "whole" && <OneArea {...props} area={area} scope={scope} />}
      </Stack>
    </Paper>
  );
}

/** What belongs to one area: its name, and how it is drawn. */
function OneArea(props: AreasProps & { area: Area; scope: number }) {
  const { intent, area, scope, change, brush } = props;
  const setMask = (mask: Mask) => change(changeArea(intent, scope, { mask }));
  return (
    <>
      <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
        <TextField
          key={scope}
          fullWidth
          label="Name"
          defaultValue={area.name}
          onBlur={(e) => e.target.value.trim() && change(changeArea(intent, scope, { name: e.target.value.trim() }))}
        />
        <IconButton
          aria-label={`Remove ${area.name}`}
          onClick={() => {
            props.onScope("whole");
            props.onDrawing(false);
            change({ areas: (intent.areas ?? []).filter((_, i) => i !== scope) });
          }}
        >
          <DeleteOutlineIcon fontSize="small" />
        </IconButton>
      </Stack>
      <Stack direction="row" sx={{ flexWrap: "wrap" }}>
        <Toggle label={DRAW_WORDS[area.mask.by]} on={props.drawing} onSwitch={props.onDrawing} />
        <Toggle label="Show it" on={props.shown} onSwitch={props.onShown} />
        <Toggle
          label="Invert"
          on={area.mask.inverted ?? false}
          onSwitch={(inverted) => setMask({ ...area.mask, inverted })}
        />
        {area.mask.by === "painted" && (
          <Toggle label="Erase" on={brush.erases} onSwitch={(erases) => props.onBrush({ ...brush, erases })} />
        )}
      </Stack>
      {area.mask.by === "painted" && (
        <>
          <Amount
            label="Brush"
            value={brush.radius}
            min={0.005}
            max={0.3}
            onChange={(radius) => props.onBrush({ ...brush, radius })}
          />
          <Amount
            label="Feather"
            value={brush.feather}
            min={0}
            max={1}
            onChange={(feather) => props.onBrush({ ...brush, feather })}
          />
          <Button
            disabled={area.mask.strokes.length === 0}
            onClick={() =>
              area.mask.by === "painted" && setMask({ ...area.mask, strokes: area.mask.strokes.slice(0, -1) })
            }
            sx={{ alignSelf: "flex-start" }}
          >
            Take back the last stroke
          </Button>
        </>
      )}
      {(area.mask.by === "tone" || area.mask.by === "colour") && (
        <Amount
          label="Reach"
          value={area.mask.reach / 60}
          min={0.02}
          max={1}
          onChange={(share) =>
            (area.mask.by === "tone" || area.mask.by === "colour") && setMask({ ...area.mask, reach: share * 60 })
          }
        />
      )}
      <Typography variant="caption" sx={{ color: "text.secondary" }}>
        The steps below are now those of {area.name}; the rest of the picture keeps its own.
      </Typography>
    </>
  );
}

const DRAW_WORDS: Record<Kind, string> = {
  painted: "Paint",
  gradient: "Draw the line",
  tone: "Point",
  colour: "Point",
};

function Toggle(props: { label: string; on: boolean; onSwitch: (on: boolean) => void }) {
  return (
    <FormControlLabel
      control={<Switch size="small" checked={props.on} onChange={(_, on) => props.onSwitch(on)} />}
      label={<Typography variant="body2">{props.label}</Typography>}
    />
  );
}

function Amount(props: { label: string; value: number; min: number; max: number; onChange: (value: number) => void }) {
  return (
    <Stack direction="row" spacing={2} sx={{ alignItems: "center" }}>
      <Typography variant="body2" sx={{ width: 64 }}>
        {props.label}
      </Typography>
      <Slider
        size="small"
        aria-label={props.label}
        value={props.value}
        min={props.min}
        max={props.max}
        step={0.005}
        onChange={(_, value) => props.onChange(value as number)}
      />
    </Stack>
  );
}
