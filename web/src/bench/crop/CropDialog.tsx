/** Crops and straightens one picture: a rectangle over it, in the print's proportions or free. */

import {
  Box,
  Button,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  Stack,
  ToggleButton,
  ToggleButtonGroup,
  Typography,
} from "@mui/material";
import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import {
  type CropShape,
  type Drawing,
  type Drawn,
  type Frame,
  type Original,
  type Target,
  answered,
  api,
} from "../../api/client";
import { rules } from "../../api/rules";
import { pixels } from "../../app/format";
import { Dial } from "../cards/Dial";
import { OVER_PICTURE, STAGE_GROUND } from "../../look/tokens";
import { Hand } from "./hand";

const ROOM = { width: 860, height: 460 };
const EDGE = 1200;

/** A side or corner of a rectangle that is dragged: -1, 0 or 1 across and down. */
type Grip = readonly [-1 | 0 | 1, -1 | 0 | 1];

const GRIPS: Grip[] = [
  [-1, -1], [0, -1], [1, -1], [-1, 0], [1, 0], [-1, 1], [0, 1], [1, 1],
]; // prettier-ignore

/** The rectangle as the server says it is, and the hand that draws it. */
function useDrawing(original: number, begun: Pick<Drawing, "frame" | "target">) {
  const [drawn, setDrawn] = useState<Drawn>();
  const [trouble, setTrouble] = useState<string>();
  const hand = useRef<Hand>(undefined);
  useEffect(() => {
    const ask = (body: Drawing) =>
      answered(api.POST("/api/v1/originals/{id}/crop", { params: { path: { id: original } }, body }));
    const show = (next: Drawn) => {
      setDrawn(next);
      setTrouble(undefined);
    };
    hand.current = new Hand(begun, ask, show, (error) =>
      setTrouble(error instanceof Error ? error.message : String(error)),
    );
    // What it begins with is what the dialog was opened with.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [original]);
  return { drawn, trouble, hand };
}

export function CropDialog(props: {
  original: Original;
  frame: Frame;
  target: Target;
  onClose: () => void;
  onDone: (frame: Frame) => void;
}) {
  const { original, target } = props;
  const paper = target.by === "print" ? target.paper : undefined;
  const [degrees, setDegrees] = useState(props.frame.degrees ?? 0);
  const { drawn, trouble, hand } = useDrawing(original.id, { frame: props.frame, target });
  const straighten = (to: number) => {
    setDegrees(to);
    hand.current?.does({ change: { do: "fit" }, degrees: to });
  };
  const done = async () => {
    const frame = await hand.current?.done();
    if (frame) props.onDone(frame);
  };

  return (
    <Dialog open onClose={props.onClose} maxWidth={false} aria-labelledby="crop-title">
      <DialogTitle id="crop-title" sx={{ pb: 1 }}>
        Crop and straighten
      </DialogTitle>
      <DialogContent sx={{ width: ROOM.width + 48 }}>
        <Box sx={{ minHeight: ROOM.height, display: "flex", alignItems: "center" }}>
          {drawn && (
            <Stage
              original={original}
              frame={props.frame}
              degrees={degrees}
              drawn={drawn}
              onDrag={([across, down], dx, dy) => hand.current?.does({ change: { do: "drag", across, down, dx, dy } })}
            />
          )}
        </Box>
        <Stack direction="row" spacing={3} sx={{ mt: 2, alignItems: "center" }}>
          <ToggleButtonGroup
            exclusive
            value={drawn?.shape ?? null}
            aria-label="Proportions"
            onChange={(_, shape: CropShape | null) => shape && hand.current?.does({ change: { do: "fill" }, shape })}
          >
            <ToggleButton value="print" disabled={!paper}>
              {paper ? `The print's, ${paper.width} × ${paper.height}` : "The print's"}
            </ToggleButton>
            <ToggleButton value="picture">The picture&apos;s</ToggleButton>
            <ToggleButton value="free">Free</ToggleButton>
          </ToggleButtonGroup>
          <Box sx={{ width: 260 }}>
            <Dial
              label="Straighten"
              effect="Turns the picture until the horizon lies level."
              value={degrees}
              min={-rules().most_degrees}
              max={rules().most_degrees}
              step={0.1}
              format={(v) => `${v.toFixed(1)}°`}
              suggested={0}
              onChange={straighten}
            />
          </Box>
          <Typography variant="body2" sx={{ color: "measured", whiteSpace: "nowrap" }}>
            {drawn && pixels(drawn.size)}
          </Typography>
        </Stack>
        {trouble && (
          <Typography variant="body2" role="alert" sx={{ mt: 1, color: "error.main" }}>
            {trouble}
          </Typography>
        )}
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        <Button color="inherit" onClick={() => props.onDone({ ...props.frame, degrees: 0, crop: null })}>
          Whole picture
        </Button>
        <Box sx={{ flex: 1 }} />
        <Button color="inherit" onClick={props.onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={!drawn} onClick={() => void done()}>
          Crop
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** The picture as it lies, with the rectangle over it. */
function Stage(props: {
  original: Original;
  frame: Frame;
  degrees: number;
  drawn: Drawn;
  onDrag: (grip: Grip, dx: number, dy: number) => void;
}) {
  const { original, frame, degrees } = props;
  const { turned, rect } = props.drawn;
  const scale = Math.min(ROOM.width / turned.width, ROOM.height / turned.height);
  const held = useRef<{ grip: Grip; x: number; y: number }>(undefined);
  const grab = (e: PointerEvent<HTMLElement>) => {
    e.stopPropagation();
    const { across, down } = e.currentTarget.dataset;
    const grip = [Number(across), Number(down)] as unknown as Grip;
    e.currentTarget.setPointerCapture(e.pointerId);
    held.current = { grip, x: e.clientX, y: e.clientY };
  };
  const move = (e: PointerEvent) => {
    const from = held.current;
    if (!from) return;
    props.onDrag(from.grip, (e.clientX - from.x) / scale, (e.clientY - from.y) / scale);
    held.current = { ...from, x: e.clientX, y: e.clientY };
  };
  const letGo = () => (held.current = undefined);
  const keys = (e: KeyboardEvent) => {
    const step = (e.shiftKey ? 20 : 2) / scale;
    const moves: Record<string, [number, number]> = {
      ArrowLeft: [-step, 0],
      ArrowRight: [step, 0],
      ArrowUp: [0, -step],
      ArrowDown: [0, step],
    };
    const by = moves[e.key];
    if (!by) return;
    e.preventDefault();
    // With Alt the lower right corner follows, otherwise the whole rectangle.
    props.onDrag(e.altKey ? [1, 1] : [0, 0], by[0], by[1]);
  };
  const { width, height } = original.facts.size;
  return (
    <Box
      sx={{
        position: "relative",
        width: turned.width * scale,
        height: turned.height * scale,
        mx: "auto",
        overflow: "hidden",
        bgcolor: STAGE_GROUND,
        touchAction: "none",
        userSelect: "none",
      }}
    >
      <img
        src={`/api/v1/originals/${original.id}/thumbnail?edge=${EDGE}`}
        alt={`${original.name}, whole`}
        draggable={false}
        style={{
          position: "absolute",
          width: width * scale,
          height: height * scale,
          left: ((turned.width - width) / 2) * scale,
          top: ((turned.height - height) / 2) * scale,
          transform: `rotate(${(frame.quarter_turns ?? 0) * 90 + degrees}deg) scaleX(${frame.mirrored ? -1 : 1})`,
        }}
      />
      <Box
        role="group"
        tabIndex={0}
        aria-label="Crop: arrow keys move it, with Alt they move its lower right corner"
        data-testid="crop-rect"
        onKeyDown={keys}
        data-across={0}
        data-down={0}
        onPointerDown={grab}
        onPointerMove={move}
        onPointerUp={letGo}
        onPointerCancel={letGo}
        sx={{
          position: "absolute",
          left: rect.x * scale,
          top: rect.y * scale,
          width: rect.width * scale,
          height: rect.height * scale,
          border: `1px solid ${OVER_PICTURE.line}`,
          boxShadow: `0 0 0 2000px ${OVER_PICTURE.shade}`,
          cursor: "move",
          // A level and a plumb line, to straighten by.
          backgroundImage: `linear-gradient(${OVER_PICTURE.faint} 0 0), linear-gradient(${OVER_PICTURE.faint} 0 0)`,
          backgroundSize: "100% 1px, 1px 100%",
          backgroundPosition: "center",
          backgroundRepeat: "no-repeat",
        }}
      >
        {GRIPS.map(([gx, gy]) => (
          <Box
            key={`${gx} ${gy}`}
            data-across={gx}
            data-down={gy}
            onPointerDown={grab}
            onPointerMove={move}
            onPointerUp={letGo}
            onPointerCancel={letGo}
            sx={{
              position: "absolute",
              // Inside the rectangle: at the picture's own edge they would be cut off.
              left: `calc(${(gx + 1) * 50}% - ${(gx + 1) * 7}px)`,
              top: `calc(${(gy + 1) * 50}% - ${(gy + 1) * 7}px)`,
              width: 14,
              height: 14,
              bgcolor: OVER_PICTURE.line,
              border: `1px solid ${OVER_PICTURE.rim}`,
              cursor: gx === 0 ? "ns-resize" : gy === 0 ? "ew-resize" : gx === gy ? "nwse-resize" : "nesw-resize",
            }}
          />
        ))}
      </Box>
    </Box>
  );
}
