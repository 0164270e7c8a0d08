/** How the tones of the view are spread: the original's beside the result's, with what is clipped and what the file's profile would lose. */

import { Box, Stack, Typography } from "@mui/material";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type Intent, type Tones, answered, api } from "../api/client";
import { decimal } from "../app/format";
import type { SheetPart } from "../api/queries";
import { CHANNELS } from "../look/tokens";

/** Its name in the band. */
export const TONES = "Tones";

const useTones = (hash: string, treatment: string, part: SheetPart | undefined, profile: Intent["output"]["profile"]) =>
  useQuery({
    queryKey: ["tones", hash, treatment, part, profile],
    queryFn: ({ signal }) => {
      const query = { ...(part ?? { x: 0, y: 0, width: 1, height: 1 }), profile };
      const path = { original: hash, treatment };
      return answered(api.GET("/api/v1/tones/{original}/{treatment}", { params: { path, query }, signal }));
    },
    enabled: part !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
    gcTime: 60_000,
  });

export function TonesPanel(props: {
  hash: string;
  treatment: string;
  /** What is in view, in pixels of the print. */
  part?: SheetPart;
  profile: Intent["output"]["profile"];
}) {
  const { data } = useTones(props.hash, props.treatment, props.part, props.profile);
  if (!data) {
    return (
      <Typography variant="body2" sx={{ color: "text.secondary" }}>
        {props.part
          ? "The tones of the view are being counted."
          : "Come closer: this far off, the view is not the print's own pixels."}
      </Typography>
    );
  }
  return (
    <Stack direction="row" spacing={3} sx={{ flex: 1, minWidth: 0, flexWrap: "wrap" }} useFlexGap>
      <Spread name="Original" tones={data.original} />
      <Spread name="Result" tones={data.result} />
      <Box sx={{ flex: "1 1 220px" }}>
        <Typography variant="body2">{lossText(data.lost ?? undefined)}</Typography>
        <Typography variant="caption" sx={{ color: "text.secondary" }}>
          Of what is in view, in the picture&apos;s own encoded values.
        </Typography>
      </Box>
    </Stack>
  );
}

/** What the profile of the file makes of the view's colours. */
export function lossText(lost: number | undefined): string {
  if (lost === undefined) return "The file keeps the original's own profile: no colour is lost.";
  if (lost < 0.0005) return "The file's profile holds every colour of the view.";
  return `${percent(lost)} of the view has colours that the file's profile cannot hold: they come out paler.`;
}

/** A share as people read it; what is there is never told as nothing. */
function percent(share: number): string {
  if (share > 0 && share < 0.001) return "under 0.1 %";
  return `${decimal(share * 100, 1)} %`;
}

const HEIGHT = 84;

/** Three curves over each other, and below them what is clipped. */
function Spread({ name, tones }: { name: string; tones: Tones }) {
  const steps = tones.counts[0]?.length ?? 1;
  // Clipped tones would press all others flat: the highest within counts, and the ends may leave the frame.
  const inner = tones.counts.flatMap((channel) => channel.slice(1, -1));
  const most = Math.max(1, ...inner);
  const curve = (counts: number[]) =>
    `M0 ${HEIGHT} ${counts.map((count, i) => `L${i} ${(HEIGHT - Math.min(1, count / most) * HEIGHT).toFixed(2)}`).join(" ")} L${steps - 1} ${HEIGHT} Z`;
  const clipped = `black ${percent(tones.black)}, white ${percent(tones.white)}`;
  return (
    <Box sx={{ flex: "1 1 300px", maxWidth: 420 }}>
      <Stack direction="row" sx={{ justifyContent: "space-between" }}>
        <Typography variant="subtitle2">{name}</Typography>
        <Typography variant="body2" sx={{ color: tones.black + tones.white > 0.001 ? "primary.main" : "measured" }}>
          clipped to {clipped}
        </Typography>
      </Stack>
      <Box
        component="svg"
        role="img"
        aria-label={`Tones of the ${name.toLowerCase()}; clipped to ${clipped}`}
        viewBox={`0 0 ${steps - 1} ${HEIGHT}`}
        preserveAspectRatio="none"
        sx={{
          width: "100%",
          height: HEIGHT,
          display: "block",
          bgcolor: "background.default",
          border: 1,
          borderColor: "divider",
        }}
      >
        {tones.counts.map((counts, channel) => (
          <path key={channel} d={curve(counts)} fill={CHANNELS[channel]} fillOpacity={0.45} />
        ))}
      </Box>
    </Box>
  );
}
