/** What was measured on the original, and what it comes to. */

import { Box, Button, Stack, Typography } from "@mui/material";
import type { ReactNode } from "react";
import type { Original, Reading } from "../../api/client";
import { useFaces } from "../../api/queries";
import { bytes, decimal, pixels } from "../../app/format";
import { Card } from "./Card";
import { Column } from "./Part";

/** The reading in a line: the figure that matters most, and how sharp it is. */
/** How many faces were found, and how large. */
export function facesFound(faces: { eyes: number }[] | undefined): string {
  if (!faces) return "being looked for";
  if (faces.length === 0) return "none found";
  const eyes = faces.map((f) => Math.round(f.eyes));
  const [least, most] = [Math.min(...eyes), Math.max(...eyes)];
  const range = least === most ? `${least}` : `${least} to ${most}`;
  return `${faces.length} found, ${range} px between the eyes`;
}

function Fact(props: { name: string; children: ReactNode }) {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "92px 1fr", columnGap: 1 }}>
      <Typography variant="body2" component="dt" sx={{ color: "text.secondary" }}>
        {props.name}
      </Typography>
      <Typography variant="body2" component="dd" sx={{ m: 0, overflowWrap: "anywhere" }}>
        {props.children}
      </Typography>
    </Box>
  );
}

export function ReadingCard(props: { original: Original; reading?: Reading; onRemove: () => void }) {
  const { original, reading } = props;
  const { facts } = original;
  const faces = useFaces(original.id);
  const megapixels = (facts.size.width * facts.size.height) / 1e6;
  return (
    <Card name="Reading" state={reading?.line ?? "being measured"}>
      <Column width={360} grow={1}>
        {reading?.conclusion.map((sentence) => (
          <Typography key={sentence} variant="body2">
            {sentence}
          </Typography>
        ))}
      </Column>
      {reading && (
        <Column width={230}>
          <NoiseByBrightness {...reading.reading.noise} />
        </Column>
      )}
      <Column width={360} grow={1}>
        <Box component="dl" sx={{ m: 0 }}>
          <Fact name="Size">
            {pixels(facts.size)}, {decimal(megapixels, megapixels < 10 ? 2 : 1)} megapixels
          </Fact>
          <Fact name="File">
            {facts.format}, {facts.depth} bits, {facts.channels}, {bytes(facts.bytes)}
          </Fact>
          <Fact name="Profile">{facts.profile ?? "none: treated as sRGB"}</Fact>
          {facts.camera && (
            <Fact name="Camera">
              {facts.camera}
              {facts.iso ? `, ISO ${facts.iso}` : ""}
              {facts.exposure ? `, ${facts.exposure}` : ""}
            </Fact>
          )}
          <Fact name="Faces">{facesFound(faces.data)}</Fact>
          {facts.taken && <Fact name="Taken">{facts.taken}</Fact>}
          {facts.turned && <Fact name="Turned">stood upright, as the camera noted</Fact>}
          {facts.had_transparency && <Fact name="Transparency">laid on white</Fact>}
        </Box>
      </Column>
      <Column width={190}>
        <Button component="a" href={`/api/v1/originals/${original.id}/file`} download>
          Download the original
        </Button>
        <Button color="inherit" onClick={props.onRemove}>
          Take out of the order
        </Button>
      </Column>
    </Card>
  );
}

/** Sigma at eight brightnesses, from black to white. */
function NoiseByBrightness({ level, hidden }: { level: number[]; hidden?: boolean }) {
  const most = Math.max(4, ...level);
  return (
    <Box role="img" aria-label={`Noise from the shadows to the lights: ${level.map((v) => decimal(v, 1)).join(", ")}`}>
      <Stack direction="row" spacing={0.5} sx={{ height: 44, alignItems: "flex-end" }}>
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
          <Box key={i} sx={{ flex: 1, bgcolor: `hsl(0 0% ${(i + 0.5) * 12.5}%)`, border: 1, borderColor: "divider" }} />
        ))}
      </Stack>
      <Typography variant="caption" sx={{ color: "text.secondary" }}>
        {hidden ? "noise and texture" : "noise"} from the shadows to the lights, up to {decimal(Math.max(...level), 1)}{" "}
        of 255 levels
      </Typography>
    </Box>
  );
}
