/** What was measured, to be looked at: noise by brightness, the spectrum against what pixels can hold, how far edges are spread. */

import { Box, Stack, Typography } from "@mui/material";
import type { Reading } from "../../api/client";
import { decimal } from "../../app/format";
import { grey } from "../../look/tokens";

type Measured = Reading["reading"];

/** Drawn in units of its own, stretched to the room that there is. */
const WIDTH = 200;
const HEIGHT = 56;

const CAPTION = { color: "text.secondary", display: "block", lineHeight: 1.3, mt: 0.25 };

function Plot(props: { label: string; caption: string; children: React.ReactNode }) {
  return (
    <Box>
      <Box
        component="svg"
        role="img"
        aria-label={props.label}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        sx={{
          display: "block",
          width: "100%",
          height: HEIGHT,
          borderBottom: 1,
          borderColor: "divider",
          "& path, & line": { fill: "none", vectorEffect: "non-scaling-stroke" },
          "& .measured": { stroke: (t) => t.palette.measured, strokeWidth: 1.5 },
          "& .ideal": { stroke: (t) => t.palette.text.secondary, strokeWidth: 1, strokeDasharray: "3 3" },
          "& .limit": { stroke: (t) => t.palette.primary.main, strokeWidth: 1.5 },
        }}
      >
        {props.children}
      </Box>
      <Typography variant="caption" sx={CAPTION}>
        {props.caption}
      </Typography>
    </Box>
  );
}

const path = (points: [number, number][]) =>
  points.map(([x, y], i) => `${i === 0 ? "M" : "L"}${x.toFixed(1)} ${y.toFixed(1)}`).join("");

/** Sigma at eight brightnesses, from black to white. */
export function NoiseByBrightness({ level, hidden }: { level: number[]; hidden?: boolean }) {
  const most = Math.max(4, ...level);
  return (
    <Box role="img" aria-label={`Noise from the shadows to the lights: ${level.map((v) => decimal(v, 1)).join(", ")}`}>
      <Stack direction="row" spacing={0.5} sx={{ height: HEIGHT - 10, alignItems: "flex-end" }}>
        {level.map((sigma, i) => (
          <Box
            key={i}
            title={`sigma ${decimal(sigma, 1)}`}
            sx={{ flex: 1, height: `${Math.max(2, (sigma / most) * 100)}%`, bgcolor: "measured" }}
          />
        ))}
      </Stack>
      <Stack direction="row" spacing={0.5} sx={{ height: 6, mt: 0.5 }}>
        {level.map((_, i) => (
          <Box key={i} sx={{ flex: 1, bgcolor: grey((i + 0.5) / level.length), border: 1, borderColor: "divider" }} />
        ))}
      </Stack>
      <Typography variant="caption" sx={CAPTION}>
        {hidden ? "noise and texture" : "noise"} from the shadows to the lights, up to {decimal(Math.max(...level), 1)}{" "}
        of 255 levels
      </Typography>
    </Box>
  );
}

/** The picture's power from coarse to fine, beside that of one sharp to the last pixel, down to its noise. */
export function SpectrumPlot({ usable, spectrum }: Measured["detail"]) {
  if (!spectrum) return null;
  const { picture, sharp, noise } = spectrum;
  // The coarsest step holds what a picture is of, which says nothing of its detail.
  const all = [...picture.slice(1), ...sharp.slice(1), noise];
  const [least, most] = [Math.min(...all) - 2, Math.max(...all) + 2];
  const down = (dB: number) => ((most - dB) / (most - least)) * HEIGHT;
  const line = (values: number[]) =>
    path(values.slice(1).map((dB, i) => [((i + 1.5) / values.length) * WIDTH, down(dB)]));
  const share = Math.round(usable * 100);
  return (
    <Plot
      label={`Detail goes up to ${share} % of what its pixels can hold`}
      caption={`from coarse to fine: detail up to ${share} % of what pixels can hold; dashed, a picture sharp to the last pixel`}
    >
      <path className="ideal" d={line(sharp)} />
      <line className="ideal" x1={0} x2={WIDTH} y1={down(noise)} y2={down(noise)} />
      <path className="measured" d={line(picture)} />
      <line className="limit" x1={usable * WIDTH} x2={usable * WIDTH} y1={0} y2={HEIGHT} />
    </Plot>
  );
}

/** Pixels to each side of an edge that are drawn. */
const REACH = 5;

/** How far an edge overshoots that has one twice as spread taken off it once. */
const RIM_ONCE = 0.09;

/** An edge as it is spread and overshoots, beside one as sharp as pixels can be. */
export function EdgePlot({ sigma, overshoot }: NonNullable<Measured["softness"]>) {
  // As sharpening does it: an edge twice as spread is taken off again, so far that it overshoots as measured.
  const rim = overshoot > 0.01 ? overshoot / RIM_ONCE : 0;
  const height = (px: number) => (1 + rim) * spread(px / sigma) - rim * spread(px / (2 * sigma));
  const at = (px: number, of: (px: number) => number): [number, number] => [
    ((px + REACH) / (2 * REACH)) * WIDTH,
    HEIGHT * (0.9 - 0.8 * of(px)),
  ];
  const places = Array.from({ length: 81 }, (_, i) => -REACH + (i * REACH) / 40);
  const rims = overshoot > 0.01 ? `, over by ${Math.round(overshoot * 100)} %` : "";
  return (
    <Plot
      label={`Edges are spread over ${decimal(sigma, 1)} px${rims}`}
      caption={`an edge over ${2 * REACH} px: spread ${decimal(sigma, 1)} px${rims}; dashed, as sharp as pixels can be`}
    >
      <path className="ideal" d={path(places.map((px) => at(px, (x) => Math.min(1, Math.max(0, x + 0.5)))))} />
      <path className="measured" d={path(places.map((px) => at(px, height)))} />
    </Plot>
  );
}

/** The share of an edge that a Gaussian of spread 1 has passed, 0 to 1: the logistic curve is within a hundredth of it. */
const spread = (sigmas: number) => 1 / (1 + Math.exp(-1.702 * sigmas));
