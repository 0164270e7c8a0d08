/** The file that is made: format, depth, colours, name. */

import { MenuItem, Stack, TextField, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import type { Facts, Format, Intent, Plan } from "../../api/client";
import { depthIn, depths, formatsOf, isFinished } from "../../api/rules";
import { bytes, decimal } from "../../app/format";
import { Figure } from "../TargetFields";
import { TimeBar } from "./TimeBar";
import { Card } from "./Card";
import { Column } from "./Part";

type Output = Intent["output"];

const PROFILES: [NonNullable<Output["profile"]>, string][] = [
  ["original", "The original's own"],
  ["srgb", "sRGB"],
  ["p3", "Display P3"],
  ["oprgb", "opRGB (IEC 61966-2-5)"],
  ["romm", "ROMM RGB (ISO 22028-2), for 16 bits"],
];

export function DeliverCard(props: {
  intent: Intent;
  /** Of the original. */
  facts: Pick<Facts, "format">;
  /** The file in a few words. */
  words: string;
  fileBytes?: number;
  /** Where the time of the run goes. */
  spent?: Plan["spent"];
  pattern: string;
  onPattern: (p: string) => void;
  onChange: (output: Output) => void;
}) {
  const { output, target } = props.intent;
  const { onChange } = props;
  const finished = isFinished(output.format);
  return (
    <Card
      name="Deliver"
      state={[props.words, props.fileBytes !== undefined && bytes(props.fileBytes)].filter(Boolean).join(", ")}
    >
      <Column width={300}>
        <ToggleButtonGroup
          exclusive
          fullWidth
          value={output.format}
          aria-label="Format"
          onChange={(_, format: Format | null) =>
            format && onChange({ ...output, format, depth: depthIn(format, output.depth) })
          }
        >
          {formatsOf(props.facts).map(({ format, name }) => (
            <ToggleButton key={format} value={format}>
              {name}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
        {depths(output.format).length > 1 && (
          <ToggleButtonGroup
            exclusive
            fullWidth
            value={output.depth}
            aria-label="Bits per channel"
            onChange={(_, depth: 8 | 16 | null) => depth && onChange({ ...output, depth })}
          >
            <ToggleButton value={8}>8 bits</ToggleButton>
            <ToggleButton value={16}>16 bits</ToggleButton>
          </ToggleButtonGroup>
        )}
      </Column>
      <Column width={300}>
        {output.format === "jpeg" && (
          <Stack direction="row" spacing={1}>
            <Figure
              label="Quality, 1 to 100"
              whole
              value={output.quality ?? 92}
              onChange={(quality) => quality <= 100 && onChange({ ...output, quality })}
            />
            <TextField
              select
              fullWidth
              label="Colour"
              value={output.chroma ?? "auto"}
              onChange={(e) => onChange({ ...output, chroma: e.target.value as Output["chroma"] })}
            >
              <MenuItem value="auto">by quality</MenuItem>
              <MenuItem value="full">as fine as brightness</MenuItem>
              <MenuItem value="half">half as fine</MenuItem>
            </TextField>
          </Stack>
        )}
        {output.format === "tiff" && (
          <TextField
            select
            label="Compression, nothing is lost"
            value={output.compression ?? "deflate"}
            onChange={(e) => onChange({ ...output, compression: e.target.value as Output["compression"] })}
          >
            <MenuItem value="deflate">Deflate</MenuItem>
            <MenuItem value="lzw">LZW</MenuItem>
            <MenuItem value="none">None</MenuItem>
          </TextField>
        )}
        {!finished ? (
          <Typography variant="caption" sx={{ color: "text.secondary" }}>
            A raw file again, in the camera&rsquo;s own colours: white balance, exposure and profile stay open. The
            bench shows it with the white balance as shot.
          </Typography>
        ) : (
          <TextField
            select
            label="Colour profile"
            value={output.profile ?? "original"}
            onChange={(e) => onChange({ ...output, profile: e.target.value as Output["profile"] })}
          >
            {PROFILES.map(([profile, name]) => (
              <MenuItem key={profile} value={profile}>
                {name}
              </MenuItem>
            ))}
          </TextField>
        )}
      </Column>
      <Column width={380}>
        <TextField
          label="Name"
          value={props.pattern}
          onChange={(e) => props.onPattern(e.target.value)}
          helperText="{name} {width} {height} {long} {ppi} {method} are filled in"
        />
        <Typography variant="caption" sx={{ color: "text.secondary" }}>
          {!finished
            ? "Camera data goes with it. A raw file states no resolution."
            : `Camera data, captions and rights go with it. ${
                target.by === "print"
                  ? `The file says ${decimal(target.ppi)} ppi.`
                  : "The file states no resolution: give a print size for that."
              }`}
        </Typography>
      </Column>
      {props.spent && props.spent.length > 0 && (
        <Column width={260} grow={1}>
          <TimeBar spent={props.spent} />
        </Column>
      )}
    </Card>
  );
}
