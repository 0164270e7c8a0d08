/** The same part by several methods, beside the truth. */

import { Box, Button, Stack, ToggleButton, ToggleButtonGroup, Tooltip } from "@mui/material";
import { type PointerEvent, useRef, useState } from "react";
import { type Original, type Rehearsal as Rehearsed } from "../api/client";
import { Tag } from "../app/Tag";
import { decimal } from "../app/format";
import { STAGE_GROUND } from "../look/tokens";

/** From this width of the window on, parts are shown twice as large at first. */
const WIDE = 1700;

/** One part: as it is, and as the candidates that are shown made it, all under one camera. */
export function Crops(props: {
  original: Original;
  kept: Rehearsed;
  part: number;
  onPart: (part: number) => void;
  shown: number[];
}) {
  const { kept, shown } = props;
  const [zoom, setZoom] = useState(() => (window.innerWidth >= WIDE ? 2 : 1));
  const [difference, setDifference] = useState(false);
  const [pan, setPan] = useState({ x: 0, y: 0 });
  const grip = useRef<{ x: number; y: number }>(undefined);
  const part = Math.min(props.part, kept.parts.length - 1);
  const region = kept.parts[part];
  if (!region) return <Box sx={{ flex: 1 }} />;
  const address = (candidate?: number) => {
    const query = new URLSearchParams({ began_at: kept.began_at });
    if (candidate !== undefined) query.set("candidate", String(candidate));
    if (candidate !== undefined && difference) query.set("difference", "true");
    return `/api/v1/originals/${props.original.id}/rehearsal/${part}?${query.toString()}`;
  };
  const cells = [
    { name: "As it is", source: address() },
    ...shown.flatMap((i) => {
      const row = kept.rows[i];
      return row && !row.trouble ? [{ name: row.name, source: address(i), figure: row.figures?.psnr }] : [];
    }),
  ];
  const move = (e: PointerEvent) => {
    const from = grip.current;
    if (!from) return;
    grip.current = { x: e.clientX, y: e.clientY };
    setPan((p) => ({ x: p.x + e.clientX - from.x, y: p.y + e.clientY - from.y }));
  };
  return (
    <Stack sx={{ flex: 1, minWidth: 0 }}>
      <Stack direction="row" spacing={1.5} sx={{ px: 2, py: 0.75, alignItems: "center" }}>
        <Stack direction="row" role="group" aria-label="Parts" sx={{ flexWrap: "wrap" }}>
          {kept.parts.map((_, i) => (
            <Button
              key={i}
              color={i === part ? "primary" : "inherit"}
              aria-pressed={i === part}
              aria-label={`Part ${i + 1}`}
              onClick={() => props.onPart(i)}
              sx={{ minWidth: 26, px: 0.5 }}
            >
              {i + 1}
            </Button>
          ))}
        </Stack>
        <Box sx={{ flex: 1 }} />
        <ToggleButtonGroup
          exclusive
          value={zoom}
          aria-label="Zoom"
          onChange={(_, value: number | null) => {
            if (!value) return;
            setZoom(value);
            setPan({ x: 0, y: 0 });
          }}
        >
          {[1, 2, 4].map((z) => (
            <ToggleButton key={z} value={z}>
              {100 * z} %
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        <Tooltip title="How each differs from the picture as it is, four times as much around middle grey">
          <ToggleButton value="difference" selected={difference} onChange={() => setDifference(!difference)}>
            Differences
          </ToggleButton>
        </Tooltip>
      </Stack>
      <Box
        sx={{
          flex: 1,
          minHeight: 0,
          bgcolor: STAGE_GROUND,
          display: "grid",
          gridTemplateColumns: `repeat(${cells.length <= 2 ? cells.length : cells.length <= 4 ? 2 : 3}, 1fr)`,
          gridAutoRows: "1fr",
          gap: "2px",
          cursor: "grab",
          touchAction: "none",
        }}
        onPointerDown={(e) => {
          grip.current = { x: e.clientX, y: e.clientY };
          e.currentTarget.setPointerCapture(e.pointerId);
        }}
        onPointerMove={move}
        onPointerUp={() => (grip.current = undefined)}
      >
        {cells.map(({ name, source, ...cell }) => (
          <Box
            key={name}
            sx={{ position: "relative", overflow: "hidden", minWidth: 0, display: "grid", placeItems: "center" }}
          >
            <Box
              component="img"
              src={source}
              alt={`Part ${part + 1}: ${name}`}
              draggable={false}
              sx={{
                width: region.width * zoom,
                height: region.height * zoom,
                maxWidth: "none",
                imageRendering: zoom > 1 ? "pixelated" : "auto",
                transform: `translate(${pan.x}px, ${pan.y}px)`,
              }}
            />
            <Tag>
              {name}
              {"figure" in cell && cell.figure !== undefined && (
                <Box component="span" sx={{ color: "measured", ml: 1 }}>
                  {decimal(cell.figure, 2)} dB
                </Box>
              )}
            </Tag>
          </Box>
        ))}
      </Box>
    </Stack>
  );
}
