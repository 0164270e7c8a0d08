/** The rehearsal of a picture: shrunk, enlarged again by every method, and each beside the picture as it is. */

import {
  Alert,
  Box,
  Button,
  FormControlLabel,
  LinearProgress,
  Stack,
  Switch,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  TableSortLabel,
  ToggleButton,
  ToggleButtonGroup,
  Tooltip,
  Typography,
} from "@mui/material";
import { ScatterChart } from "@mui/x-charts/ScatterChart";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type PointerEvent, useEffect, useRef, useState } from "react";
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
import { Tag } from "../app/Tag";
import { WholeScreen } from "../app/WholeScreen";
import { decimal } from "../app/format";
import { useKeys } from "../app/keys";
import { COLUMNS, type Order, best, firstShown, sorted, toggled, written } from "./figures";

/** From this width of the window on, parts are shown twice as large at first. */
const WIDE = 1700;

/** Where the axis of seconds is marked. */
const DECADES = [0.1, 0.3, 1, 3, 10, 30, 100];

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

  useKeys((key) => {
    const last = (kept?.parts.length ?? 1) - 1;
    if (/^[1-9]$/.test(key)) setPart(Math.min(last, Number(key) - 1));
    else if (key === "ArrowRight") setPart((p) => Math.min(last, p + 1));
    else if (key === "ArrowLeft") setPart((p) => Math.max(0, p - 1));
    else return false;
    return true;
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

function QualityAndTime(props: { kept: Rehearsed; shown: number[]; onToggle: (row: number) => void }) {
  const { rows } = props.kept;
  const points = rows.flatMap((row, i) =>
    row.figures && row.seconds_per_megapixel
      ? [{ id: i, x: Math.max(0.01, row.seconds_per_megapixel), y: row.figures.psnr, name: row.name }]
      : [],
  );
  if (points.length < 2) return <Box sx={{ height: 212 }} aria-busy="true" />;
  const inView = (id: number) => props.shown.includes(id);
  const series = (wanted: boolean) => points.filter((p) => inView(p.id) === wanted);
  return (
    <Box sx={{ px: 1, pt: 1, borderBottom: 1, borderColor: "divider" }}>
      <Typography variant="caption" sx={{ pl: 1.5, color: "text.secondary" }}>
        dB against seconds a megapixel: higher is nearer to the picture, further right is slower
      </Typography>
      <ScatterChart
        height={184}
        margin={{ left: 0, right: 16, top: 8, bottom: 0 }}
        hideLegend
        skipAnimation
        grid={{ horizontal: true }}
        xAxis={[
          {
            scaleType: "log",
            tickInterval: DECADES,
            valueFormatter: (seconds: number) => `${seconds} s`,
            tickLabelStyle: { fontSize: 12 },
            height: 26,
          },
        ]}
        yAxis={[{ width: 40, tickLabelStyle: { fontSize: 12 } }]}
        series={[
          {
            id: "others",
            data: series(false),
            markerSize: 4,
            color: "var(--others)",
            valueFormatter: (p) => (p ? label(points, p.id) : ""),
          },
          {
            id: "shown",
            data: series(true),
            markerSize: 6,
            color: "var(--shown)",
            valueFormatter: (p) => (p ? label(points, p.id) : ""),
          },
        ]}
        onItemClick={(_: unknown, { seriesId, dataIndex }: { seriesId: string | number; dataIndex: number }) => {
          const point = series(seriesId === "shown")[dataIndex];
          if (point) props.onToggle(point.id);
        }}
        sx={(t) => ({ "--others": t.palette.text.secondary, "--shown": t.palette.primary.main })}
      />
    </Box>
  );
}

function label(points: { id: number; x: number; y: number; name: string }[], id: string | number | undefined): string {
  const point = points.find((p) => p.id === id);
  return point ? `${point.name}: ${decimal(point.y, 2)} dB, ${decimal(point.x, 1)} s/MP` : "";
}

function Figures(props: {
  kept: Rehearsed;
  order: Order;
  onOrder: (order: Order) => void;
  shown: number[];
  onToggle: (row: number) => void;
  onTake: (enlarge: Choice, name: string) => void;
}) {
  const { order } = props;
  const { rows } = props.kept;
  const bests = COLUMNS.map((column) => best(rows, column));
  return (
    <Table size="small" stickyHeader aria-label="Figures" sx={{ "& td, & th": { px: 0.75, py: 0.25 } }}>
      <TableHead>
        <TableRow>
          <TableCell sx={{ pl: "20px !important" }}>Method</TableCell>
          {COLUMNS.map((column) => (
            <TableCell
              key={column.key}
              align="right"
              sortDirection={order.by === column.key ? (order.down ? "desc" : "asc") : false}
            >
              <Tooltip title={column.about}>
                <TableSortLabel
                  active={order.by === column.key}
                  direction={order.by === column.key && !order.down ? "asc" : "desc"}
                  hideSortIcon
                  onClick={() =>
                    props.onOrder({
                      by: column.key,
                      down: order.by === column.key ? !order.down : column.better !== "less",
                    })
                  }
                >
                  {column.name}
                </TableSortLabel>
              </Tooltip>
            </TableCell>
          ))}
        </TableRow>
      </TableHead>
      <TableBody>
        {sorted(rows, order).map((i) => {
          const row = rows[i];
          if (!row) return null;
          const inView = props.shown.includes(i);
          return (
            <TableRow
              key={i}
              hover
              tabIndex={0}
              aria-selected={inView}
              data-testid="candidate"
              onClick={() => props.onToggle(i)}
              onKeyDown={(e) => {
                if (e.key !== "Enter" && e.key !== " ") return;
                e.preventDefault();
                props.onToggle(i);
              }}
              sx={{
                cursor: "pointer",
                boxShadow: inView ? (t) => `inset 3px 0 0 ${t.palette.primary.main}` : "none",
                "& button": { visibility: "hidden" },
                "&:hover button, &:focus-within button": { visibility: "visible" },
              }}
            >
              <TableCell sx={{ pl: "20px !important", fontWeight: inView ? 600 : 400 }}>
                <Stack direction="row" sx={{ alignItems: "center", justifyContent: "space-between", minHeight: 28 }}>
                  <span>{row.name}</span>
                  {!row.name.startsWith("Treatment") && !row.trouble && (
                    <Button
                      size="small"
                      sx={{ py: 0, minWidth: 0 }}
                      onClick={(e) => {
                        e.stopPropagation();
                        props.onTake(row.steps.enlarge, row.name);
                      }}
                    >
                      Take
                    </Button>
                  )}
                </Stack>
              </TableCell>
              {row.trouble ? (
                <TableCell colSpan={COLUMNS.length} sx={{ color: "error.main" }}>
                  {row.trouble}
                </TableCell>
              ) : (
                COLUMNS.map((column, c) => {
                  const value = column.of(row);
                  const text = value === undefined ? "" : written(value, column);
                  const patterned = column.key === "screen" && row.draws_screen;
                  return (
                    <TableCell
                      key={column.key}
                      align="right"
                      title={patterned ? "Draws a regular pattern over the picture" : undefined}
                      sx={{
                        color: patterned ? "error.main" : "measured",
                        fontWeight: text !== "" && text === bests[c] ? 700 : 400,
                      }}
                    >
                      {text}
                    </TableCell>
                  );
                })
              )}
            </TableRow>
          );
        })}
      </TableBody>
    </Table>
  );
}

/** One part: as it is, and as the candidates that are shown made it, all under one camera. */
function Crops(props: {
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
          bgcolor: "#777",
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
