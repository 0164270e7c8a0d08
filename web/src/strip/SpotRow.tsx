/** One spot by all treatments of the strip, side by side. */

import { Box, Typography } from "@mui/material";
import { type PointerEvent, useEffect, useState } from "react";
import type { Spot } from "../api/client";
import { STAGE_GROUND } from "../look/tokens";
import type { Column } from "./columns";

export function SpotRow(props: {
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
        <Typography variant="subtitle2">{props.number}</Typography>
        <Typography variant="caption" sx={{ color: "text.secondary" }}>
          {props.spot.name}
        </Typography>
      </Box>
      {props.columns.map((column, i) => (
        <Box
          key={column.key}
          role="cell"
          sx={{ height: props.height, bgcolor: STAGE_GROUND, overflow: "hidden", cursor: "grab", touchAction: "none" }}
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
