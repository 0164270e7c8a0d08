/** Quality against time: each method as a point. */

import { Box, Typography } from "@mui/material";
import { ScatterChart } from "@mui/x-charts/ScatterChart";
import { type Rehearsal as Rehearsed } from "../api/client";
import { decimal } from "../app/format";

/** Where the axis of seconds is marked. */
const DECADES = [0.1, 0.3, 1, 3, 10, 30, 100];

function label(points: { id: number; x: number; y: number; name: string }[], id: string | number | undefined): string {
  const point = points.find((p) => p.id === id);
  return point ? `${point.name}: ${decimal(point.y, 2)} dB, ${decimal(point.x, 1)} s/MP` : "";
}

export function QualityAndTime(props: { kept: Rehearsed; shown: number[]; onToggle: (row: number) => void }) {
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
