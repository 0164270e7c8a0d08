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
import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import type { Frame, Original, Target } from "../../api/client";
import { pixels } from "../../app/format";
import { Dial } from "../cards/Dial";
import { rules } from "../../api/rules";
import { type Grip, type Rect, dragged, inPixels, largest, shrunkToFull, turnedSize } from "./geometry";

const ROOM = { width: 860, height: 460 };
const EDGE = 1200;

type Shape = "print" | "picture" | "free";

const GRIPS: Grip[] = [
  [-1, -1], [0, -1], [1, -1], [-1, 0], [1, 0], [-1, 1], [0, 1], [1, 1],
]; // prettier-ignore

export function CropDialog(props: {
  original: Original;
  frame: Frame;
  target: Target;
  onClose: () => void;
  onDone: (frame: Frame) => void;
}) {
  const { original, target } = props;
  const turned = turnedSize(original.facts.size, props.frame);
  const paper = target.by === "print" ? target.paper : undefined;
  const lies = turned.width >= turned.height;
  const proportions: Record<Shape, number | undefined> = {
    print: paper && (lies === paper.width >= paper.height ? paper.width / paper.height : paper.height / paper.width),
    picture: turned.width / turned.height,
    free: undefined,
  };
  const [shape, setShape] = useState<Shape>(paper ? "print" : "free");
  const [degrees, setDegrees] = useState(props.frame.degrees ?? 0);
  const [rect, setRect] = useState<Rect>(
    () => props.frame.crop ?? largest(turned, degrees, proportions[shape] ?? turned.width / turned.height),
  );
  const scale = Math.min(ROOM.width / turned.width, ROOM.height / turned.height);
  const proportion = proportions[shape];

  const choose = (next: Shape) => {
    setShape(next);
    const wanted = proportions[next];
    if (wanted !== undefined) setRect(largest(turned, degrees, wanted));
  };
  const straighten = (to: number) => {
    setDegrees(to);
    setRect((r) => shrunkToFull(r, turned, to));
  };
  const done = () => {
    const crop = inPixels(rect, turned);
    const whole = crop.x === 0 && crop.y === 0 && crop.width === turned.width && crop.height === turned.height;
    props.onDone({ ...props.frame, degrees, crop: whole ? null : crop });
  };

  return (
    <Dialog open onClose={props.onClose} maxWidth={false} aria-labelledby="crop-title">
      <DialogTitle id="crop-title" sx={{ pb: 1 }}>
        Crop and straighten
      </DialogTitle>
      <DialogContent sx={{ width: ROOM.width + 48 }}>
        <Stage
          original={original}
          frame={props.frame}
          degrees={degrees}
          turned={turned}
          scale={scale}
          rect={rect}
          onDrag={(grip, dx, dy) => setRect((r) => dragged(r, grip, dx, dy, turned, degrees, proportion))}
        />
        <Stack direction="row" spacing={3} sx={{ mt: 2, alignItems: "center" }}>
          <ToggleButtonGroup
            exclusive
            value={shape}
            aria-label="Proportions"
            onChange={(_, next: Shape | null) => next && choose(next)}
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
            {pixels(inPixels(rect, turned))}
          </Typography>
        </Stack>
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2 }}>
        <Button color="inherit" onClick={() => props.onDone({ ...props.frame, degrees: 0, crop: null })}>
          Whole picture
        </Button>
        <Box sx={{ flex: 1 }} />
        <Button color="inherit" onClick={props.onClose}>
          Cancel
        </Button>
        <Button variant="contained" onClick={done}>
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
  turned: { width: number; height: number };
  scale: number;
  rect: Rect;
  onDrag: (grip: Grip, dx: number, dy: number) => void;
}) {
  const { original, frame, degrees, turned, scale, rect } = props;
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
        bgcolor: "#777",
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
          border: "1px solid #fff",
          boxShadow: "0 0 0 2000px rgba(0,0,0,0.55)",
          cursor: "move",
          // A level and a plumb line, to straighten by.
          backgroundImage: "linear-gradient(#fff9, #fff9), linear-gradient(#fff9, #fff9)",
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
              left: `calc(${(gx + 1) * 50}% - 7px)`,
              top: `calc(${(gy + 1) * 50}% - 7px)`,
              width: 14,
              height: 14,
              bgcolor: "#fff",
              border: "1px solid #0008",
              cursor: gx === 0 ? "ns-resize" : gy === 0 ? "ew-resize" : gx === gy ? "nwse-resize" : "nesw-resize",
            }}
          />
        ))}
      </Box>
    </Box>
  );
}
