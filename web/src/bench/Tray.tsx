/** The order's pictures, slim along the left; results show as a mark on their original. */

import AddIcon from "@mui/icons-material/Add";
import { Box, ButtonBase, CircularProgress, LinearProgress, Tooltip, Typography } from "@mui/material";
import { useMemo, useRef } from "react";
import type { OrderContents, Original } from "../api/client";
import { counted, pixels } from "../app/format";
import { VirtualRows } from "../app/VirtualRows";
import { FilePicker } from "./FilePicker";
import type { Arriving } from "./importing";

/** Its width in pixels. */
export const TRAY_WIDTH = 96;

export function Tray(props: {
  contents: OrderContents;
  selected?: number;
  arriving: Arriving[];
  onSelect: (id: number) => void;
  onAdd: (files: File[]) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  const { originals, enlargements, jobs } = props.contents;
  const results = useMemo(() => {
    const counts = new Map<number, number>();
    for (const { original_id: id } of enlargements) counts.set(id, (counts.get(id) ?? 0) + 1);
    return counts;
  }, [enlargements]);
  const running = new Map(jobs.filter((j) => j.state === "running").map((j) => [j.original_id, j.progress]));
  return (
    <Box
      component="nav"
      aria-label="Pictures"
      className="steps-back"
      data-beside-stage
      sx={{
        width: TRAY_WIDTH,
        flexShrink: 0,
        bgcolor: "background.paper",
        borderRight: 1,
        borderColor: "divider",
        display: "flex",
        flexDirection: "column",
        minHeight: 0,
      }}
    >
      <Tooltip title="Add pictures to this order; or drop them anywhere" placement="right">
        <ButtonBase
          aria-label="Add pictures"
          onClick={() => input.current?.click()}
          sx={{
            m: 1,
            height: 32,
            border: "1px dashed",
            borderColor: "primary.main",
            color: "primary.main",
            flexShrink: 0,
          }}
        >
          <AddIcon fontSize="small" />
          <Typography variant="caption" sx={{ fontWeight: "fontWeightBold", ml: 0.5 }}>
            Add
          </Typography>
        </ButtonBase>
      </Tooltip>
      <FilePicker ref={input} onFiles={props.onAdd} />
      <VirtualRows
        label="Pictures of the order"
        count={originals.length + props.arriving.length}
        shown={originals.findIndex((o) => o.id === props.selected)}
        heightOf={() => ROW_HEIGHT}
        keyOf={(i) => originals[i]?.id ?? `arriving ${props.arriving[i - originals.length]?.key ?? ""}`}
      >
        {(i, hurried) => {
          const original = originals[i];
          const file = props.arriving[i - originals.length];
          if (original && hurried) return <Box sx={PASSING} />;
          if (original)
            return (
              <Thumbnail
                original={original}
                selected={original.id === props.selected}
                results={results.get(original.id) ?? 0}
                running={running.get(original.id)}
                onSelect={props.onSelect}
              />
            );
          return file && <OnItsWay {...file} />;
        }}
      </VirtualRows>
    </Box>
  );
}

/** Room for a thumbnail with its margins, in pixels. */
const ROW_HEIGHT = 76;

/** A picture that passes by too quickly to be seen. */
const PASSING = { m: 1, height: ROW_HEIGHT - 16, border: 1, borderColor: "divider" };

function OnItsWay({ name, sent }: Arriving) {
  return (
    <Box sx={{ m: 1, p: 0.5, border: 1, borderColor: "divider" }} title={name}>
      <Box sx={{ height: 36, display: "grid", placeItems: "center" }}>
        <CircularProgress size={16} aria-label={`Importing ${name}`} />
      </Box>
      <LinearProgress variant="determinate" value={sent * 100} aria-label={`${name}, sent`} />
    </Box>
  );
}

function Thumbnail(props: {
  original: Original;
  selected: boolean;
  results: number;
  running?: number;
  onSelect: (id: number) => void;
}) {
  const { original, selected } = props;
  const done = props.results === 0 ? "" : `, ${counted(props.results, "result")}`;
  return (
    <Tooltip title={`${original.name}, ${pixels(original.facts.size)}${done}`} placement="right">
      <ButtonBase
        aria-label={`${original.name}${done}`}
        aria-current={selected}
        onClick={() => props.onSelect(original.id)}
        sx={{
          display: "block",
          position: "relative",
          m: 1,
          width: "calc(100% - 16px)",
          p: "3px",
          border: "1px solid",
          borderColor: selected ? "primary.main" : "divider",
          boxShadow: (t) => (selected ? `inset 3px 0 0 ${t.palette.primary.main}` : "none"),
        }}
      >
        <Box
          component="img"
          src={`/api/v1/originals/${original.id}/thumbnail`}
          alt=""
          loading="lazy"
          sx={{ display: "block", width: "100%", height: 52, objectFit: "contain" }}
        />
        {props.results > 0 && (
          <Box
            component="span"
            aria-hidden
            sx={{
              position: "absolute",
              right: 2,
              bottom: 2,
              px: 0.5,
              bgcolor: "measured",
              color: "background.paper",
              typography: "caption",
              lineHeight: 1.25,
              fontWeight: "fontWeightBold",
            }}
          >
            {props.results}
          </Box>
        )}
        {props.running !== undefined && (
          <LinearProgress
            variant="determinate"
            value={props.running * 100}
            aria-label={`${original.name}, enlarging`}
            sx={{ position: "absolute", left: 0, right: 0, bottom: 0, height: 3 }}
          />
        )}
      </ButtonBase>
    </Tooltip>
  );
}
