/** One model: purpose, example, evidence, origin. */

import { Box, Button, Collapse, Link, Stack, Typography, useTheme } from "@mui/material";
import { BarChart } from "@mui/x-charts/BarChart";
import { type ReactNode, useState } from "react";
import type { Model } from "../api/client";
import { bytes, decimal, whole } from "../app/format";
import { PLOT_TEXT, STAGE_GROUND } from "../look/tokens";
import { type Bar, COUNTED_FROM, bars, overEveryday, speed, cardId } from "./measures";

export function ModelCard({
  model,
  fresh,
  onRetire,
}: {
  model: Model;
  fresh: boolean;
  onRetire: (retired: boolean) => void;
}) {
  const { card } = model;
  const [more, setMore] = useState(false);
  const over = overEveryday(card, model.perceived_nearer);
  const measured = bars(model);
  return (
    <Box
      component="article"
      id={cardId(model.card.id)}
      aria-label={model.title}
      sx={{
        border: 1,
        borderColor: fresh ? "primary.main" : "divider",
        bgcolor: "background.paper",
        p: 2,
        opacity: model.retired ? 0.75 : 1,
        display: "flex",
        flexDirection: "column",
        gap: 1.25,
      }}
    >
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1 }}>
        <Typography variant="h2" component="h4" sx={{ flex: 1 }}>
          {model.title}
        </Typography>
        <Button size="small" color="inherit" sx={{ mr: -1 }} onClick={() => onRetire(!model.retired)}>
          {model.retired ? "Restore" : "Retire"}
        </Button>
      </Box>
      <Typography variant="body2">{card.purpose}</Typography>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: "2px" }}>
        <Half model={model} side="before" words={card.kind === "enlarge" ? "bicubic" : "as it came"} />
        <Half model={model} side="after" words="this model" />
      </Box>
      {measured.length > 0 && <Chart bars={measured} over={COUNTED_FROM[card.kind]} />}
      <Box sx={{ color: "measured" }}>
        {over && <Typography variant="body2">{over}.</Typography>}
        <Typography variant="body2">
          {speed(model)}; {bytes(model.file_bytes)}
          {card.parameters > 0 && `, ${whole(card.parameters)} parameters`}.
        </Typography>
      </Box>
      {model.draws_screen && (
        <Typography variant="body2" color="warning.main">
          Lays a regular pattern over fine texture: look at it closely before you use it. It is not suggested.
        </Typography>
      )}
      {card.weaknesses.length > 0 && (
        <Typography variant="body2">Not so good: {card.weaknesses.join(". ")}.</Typography>
      )}
      <Box sx={{ mt: "auto" }}>
        <Link component="button" variant="body2" onClick={() => setMore(!more)} aria-expanded={more}>
          {more ? "Less" : "Origin, licence and how it runs"}
        </Link>
        <Collapse in={more}>
          <Origin model={model} />
        </Collapse>
      </Box>
    </Box>
  );
}

/** The middle of one half of the example, at its own pixels. */
function Half({ model, side, words }: { model: Model; side: "before" | "after"; words: string }) {
  return (
    <Box sx={{ position: "relative", height: 172, overflow: "hidden", bgcolor: STAGE_GROUND }}>
      <Box
        component="img"
        loading="lazy"
        src={`/api/v1/models/${model.card.id}/example/${side}?${model.card.sha256.slice(0, 8)}`}
        alt={`${model.title}: ${words}`}
        sx={{ width: "100%", height: "100%", objectFit: "none", objectPosition: "50% 45%", display: "block" }}
      />
      <Typography
        variant="caption"
        sx={{ position: "absolute", left: 0, bottom: 0, px: 0.75, bgcolor: "background.paper", lineHeight: 1.5 }}
      >
        {words}
      </Typography>
    </Box>
  );
}

const gain = (dB: number) => {
  const size = Math.abs(dB).toFixed(1);
  return size === "0.0" ? "0" : `${dB < 0 ? "\u2212" : "+"}${size}`;
};

function Chart({ bars, over }: { bars: Bar[]; over: string }) {
  const { palette } = useTheme();
  const highest = Math.max(0.4, ...bars.map((b) => b.value));
  return (
    <Box>
      <Typography variant="caption" sx={{ color: "text.secondary" }}>
        dB gained over {over} (mean PSNR)
      </Typography>
      <BarChart
        layout="horizontal"
        skipAnimation
        height={24 * bars.length + 8}
        margin={{ left: 0, right: 12, top: 2, bottom: 2 }}
        hideLegend
        yAxis={[
          {
            data: bars.map((b) => b.label),
            width: 176,
            disableLine: true,
            disableTicks: true,
            tickLabelStyle: { ...PLOT_TEXT, fill: palette.text.primary },
            categoryGapRatio: 0.35,
            colorMap: {
              type: "ordinal",
              values: bars.map((b) => b.label),
              colors: bars.map((b) =>
                b.value < 0 ? palette.error.main : b.own ? palette.measured : palette.text.secondary,
              ),
            },
          },
        ]}
        xAxis={[
          {
            position: "none",
            // Room for the figures beyond the ends of the bars.
            min: Math.min(0, ...bars.map((b) => b.value - (b.value < 0 ? 0.15 * highest : 0))),
            max: 1.25 * highest,
          },
        ]}
        series={[
          {
            data: bars.map((b) => b.value),
            barLabel: (item) => gain(item.value ?? 0),
            barLabelPlacement: "outside",
            valueFormatter: (value) => `${gain(value ?? 0)} dB`,
          },
        ]}
        slotProps={{ barLabel: { style: { ...PLOT_TEXT, fill: palette.text.primary } } }}
      />
    </Box>
  );
}

function Origin({ model }: { model: Model }) {
  const { card } = model;
  const { trial } = card;
  const rows: [string, ReactNode][] = [
    ["Licence", card.licence],
    [trial ? "Added" : "Made", `${card.made_on}, ${card.recipe}`],
    [
      "Factor, halo",
      `${card.factor}, ${card.halo} px${(card.multiple ?? 1) > 1 ? `, sides in multiples of ${card.multiple}` : ""}`,
    ],
    [
      "File",
      <Box
        component="span"
        key="id"
        sx={{ overflowWrap: "anywhere" }}
      >{`${card.id}, SHA-256 ${card.sha256.slice(0, 16)}…`}</Box>,
    ],
  ];
  if (trial) {
    const { format } = trial;
    const range = { unit: "0 to 1", byte: "0 to 255", signed: "−1 to 1" };
    rows.push([
      "Trial run",
      `${format.layout === "channels_first" ? "channels first" : "channels last"}, ${
        format.channels === 1
          ? "brightness alone (colour is enlarged plainly)"
          : format.blue_first
            ? "blue first"
            : "red first"
      }, values ${range[format.input_range]}${format.output_range === format.input_range ? "" : ` in, ${range[format.output_range]} out`}; tiles differ from the whole by ${decimal(trial.tile_difference, 3)} of 255 levels`,
    ]);
  } else {
    rows.push([
      "Learned from",
      <Stack key="data">
        {card.training_data.map((line) => (
          <span key={line}>{line}</span>
        ))}
      </Stack>,
    ]);
  }
  return (
    <Box
      component="dl"
      sx={{ m: 0, mt: 1, display: "grid", gridTemplateColumns: "max-content 1fr", columnGap: 2, rowGap: 0.5 }}
    >
      {rows.map(([name, value]) => (
        <Box key={name} sx={{ display: "contents" }}>
          <Typography component="dt" variant="caption" sx={{ color: "text.secondary" }}>
            {name}
          </Typography>
          <Typography component="dd" variant="caption" sx={{ m: 0 }}>
            {value}
          </Typography>
        </Box>
      ))}
    </Box>
  );
}
