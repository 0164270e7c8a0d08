/** What was measured on the original, and what it comes to. */

import { Box, Button, Typography } from "@mui/material";
import type { ReactNode } from "react";
import type { Original, Reading } from "../../api/client";
import { useFaces } from "../../api/queries";
import { bytes, decimal, pixels } from "../../app/format";
import { Card } from "./Card";
import { Column } from "./Part";
import { EdgePlot, NoiseByBrightness, SpectrumPlot } from "./ReadingPlots";

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

export function ReadingCard(props: {
  original: Original;
  reading?: Reading;
  /** What the suggestion is unsure of. */
  doubts?: string[];
  onRemove: () => void;
}) {
  const { original, reading } = props;
  const { facts } = original;
  const faces = useFaces(original.id);
  const megapixels = (facts.size.width * facts.size.height) / 1e6;
  return (
    <Card name="Reading" state={reading?.line ?? "being measured"}>
      <Column width={330} grow={1}>
        {reading?.conclusion.map((sentence) => (
          <Typography key={sentence} variant="body2">
            {sentence}
          </Typography>
        ))}
        {props.doubts?.map((doubt) => (
          <Typography key={doubt} variant="body2" sx={{ color: "primary.main" }}>
            The suggestion is unsure: {doubt}.
          </Typography>
        ))}
      </Column>
      {reading && (
        <Box
          sx={{ flex: "0 1 400px", display: "grid", gap: 1.5, alignContent: "start", gridTemplateColumns: "1fr 1fr" }}
        >
          <NoiseByBrightness {...reading.reading.noise} />
          <SpectrumPlot {...reading.reading.detail} />
          {reading.reading.softness && <EdgePlot {...reading.reading.softness} />}
        </Box>
      )}
      <Column width={300} grow={1}>
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
      <Column width={150}>
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
