/** Quality against time: each method or model as a point. */

import { Box, Typography } from "@mui/material";
import { ScatterChart } from "@mui/x-charts/ScatterChart";
import { PLOT_TEXT } from "../look/tokens";
import { decimal } from "./format";

/** Where the axis of seconds is marked. */
const DECADES = [0.1, 0.3, 1, 3, 10, 30, 100];

export interface Point {
  id: string | number;
  name: string;
  /** Seconds for a megapixel that goes in. */
  seconds: number;
  dB: number;
}

/** Points that are drawn alike. */
export interface Group {
  id: string;
  /** What they are called where there is more than one group to tell apart; nothing where that is plain. */
  name?: string;
  /** Those that count, those beside them, and those of another kind. */
  look: "marked" | "plain" | "other";
  points: Point[];
}

const SIZES = { marked: 6, plain: 4, other: 5 };

export function QualityPlot(props: { about: string; groups: Group[]; onPick: (id: Point["id"]) => void }) {
  const groups = props.groups.filter((group) => group.points.length > 0);
  const words = (group: Group, id: string | number | undefined) => {
    const point = group.points.find((p) => p.id === id);
    return point ? `${point.name}: ${decimal(point.dB, 2)} dB, ${decimal(point.seconds, 1)} s/MP` : "";
  };
  return (
    <Box sx={{ px: 1, pt: 1 }} role="img" aria-label={props.about}>
      <Typography variant="caption" sx={{ pl: 1.5, color: "text.secondary" }}>
        {props.about}
      </Typography>
      <ScatterChart
        height={184}
        margin={{ left: 0, right: 16, top: 8, bottom: 0 }}
        hideLegend={groups.every((group) => group.name === undefined)}
        skipAnimation
        grid={{ horizontal: true }}
        xAxis={[
          {
            scaleType: "log",
            tickInterval: DECADES,
            valueFormatter: (seconds: number) => `${seconds} s`,
            tickLabelStyle: PLOT_TEXT,
            height: 26,
          },
        ]}
        yAxis={[{ width: 40, tickLabelStyle: PLOT_TEXT }]}
        series={groups.map((group) => ({
          id: group.id,
          ...(group.name !== undefined && { label: group.name }),
          data: group.points.map((p) => ({ id: p.id, x: Math.max(0.01, p.seconds), y: p.dB })),
          markerSize: SIZES[group.look],
          color: `var(--${group.look})`,
          valueFormatter: (p: { id?: string | number } | null) => (p ? words(group, p.id) : ""),
        }))}
        onItemClick={(_: unknown, { seriesId, dataIndex }: { seriesId: string | number; dataIndex: number }) => {
          const point = groups.find((group) => group.id === seriesId)?.points[dataIndex];
          if (point) props.onPick(point.id);
        }}
        sx={(t) => ({
          "--plain": t.palette.text.secondary,
          "--marked": t.palette.primary.main,
          "--other": t.palette.measured,
        })}
      />
    </Box>
  );
}
