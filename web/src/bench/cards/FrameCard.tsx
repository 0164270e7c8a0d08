/** What is kept of the original, which way up, and what lies around it. */

import { Box, Button, MenuItem, Stack, TextField, ToggleButton, ToggleButtonGroup, Typography } from "@mui/material";
import { useState } from "react";
import type { Frame, Original, Plan, Reading, Surround, Target } from "../../api/client";
import { decimal, pixels } from "../../app/format";
import { Figure } from "../TargetFields";
import { CropDialog } from "../crop/CropDialog";
import { Card } from "./Card";
import { Column } from "./Part";

export function FrameCard(props: {
  original: Original;
  frame: Frame;
  surround: Surround;
  /** The step in a few words. */
  words: string;
  target: Target;
  plan?: Plan;
  /** The paper around the picture, where there is any. */
  border?: Reading["reading"]["border"];
  onFrame: (frame: Frame) => void;
  onSurround: (surround: Surround) => void;
}) {
  const { frame, surround, onFrame, onSurround } = props;
  const [open, setOpen] = useState(false);
  const turn = (by: number) => onFrame({ ...frame, quarter_turns: ((frame.quarter_turns ?? 0) + by) % 4, crop: null });
  const print = props.target.by === "print";
  const { border } = props;
  const turned = border?.frame.degrees ?? 0;
  return (
    <>
      <Card name="Frame" state={props.words}>
        <Column width={320}>
          <Stack direction="row" spacing={1}>
            <Button variant="outlined" onClick={() => turn(3)}>
              Turn left
            </Button>
            <Button variant="outlined" onClick={() => turn(1)}>
              Turn right
            </Button>
            <ToggleButton
              value="mirrored"
              selected={frame.mirrored ?? false}
              onChange={() => onFrame({ ...frame, mirrored: !frame.mirrored, crop: null })}
            >
              Mirror
            </ToggleButton>
          </Stack>
          <Button variant="outlined" onClick={() => setOpen(true)} data-testid="crop">
            Crop and straighten
          </Button>
          <Typography variant="body2" sx={{ color: "text.secondary" }}>
            {props.plan ? pixels(props.plan.kept) : "…"} of {pixels(props.original.facts.size)} are kept.
          </Typography>
        </Column>
        <Column width={420}>
          <Box>
            <Typography variant="body2" sx={{ mb: 0.5 }}>
              Around the picture
            </Typography>
            <ToggleButtonGroup
              exclusive
              fullWidth
              value={surround.kind}
              aria-label="Around the picture"
              onChange={(_, kind: Surround["kind"] | null) => {
                if (kind === "bleed") onSurround({ kind, mm: 3, fill: "mirror" });
                else if (kind) onSurround({ kind });
              }}
            >
              <ToggleButton value="none">Nothing</ToggleButton>
              <ToggleButton value="border" disabled={!print}>
                White border
              </ToggleButton>
              <ToggleButton value="bleed" disabled={!print}>
                Bleed
              </ToggleButton>
            </ToggleButtonGroup>
            <Typography variant="caption" sx={{ color: "text.secondary", display: "block", mt: 0.5 }}>
              {!print
                ? "Borders and bleed belong to a print size: choose one in the line above."
                : surround.kind === "border"
                  ? "Bare paper up to the sheet's edges, where its shape differs."
                  : surround.kind === "bleed"
                    ? "The picture goes on past the sheet, to be cut or folded away."
                    : "The file is the picture alone."}
            </Typography>
          </Box>
          {surround.kind === "bleed" && (
            <Stack direction="row" spacing={1}>
              <Figure
                label="Bleed"
                unit="mm"
                value={surround.mm}
                onChange={(mm) => onSurround({ ...surround, mm: Math.min(100, mm) })}
              />
              <TextField
                select
                fullWidth
                label="Filled with"
                value={surround.fill}
                onChange={(e) => onSurround({ ...surround, fill: e.target.value as "mirror" | "white" | "black" })}
              >
                <MenuItem value="mirror">its mirror image</MenuItem>
                <MenuItem value="white">white</MenuItem>
                <MenuItem value="black">black</MenuItem>
              </TextField>
            </Stack>
          )}
        </Column>
        {border && !frame.crop && (
          <Column width={320}>
            <Button variant="outlined" onClick={() => onFrame(border.frame)} data-testid="cut-border">
              Cut the paper off
            </Button>
            <Typography variant="caption" sx={{ color: "text.secondary" }}>
              There is paper around the picture{border.writing ? ", with something written on it" : ""}
              {turned ? `; it is set straight by ${decimal(Math.abs(turned))}°` : ""}.
            </Typography>
          </Column>
        )}
      </Card>
      {open && (
        <CropDialog
          original={props.original}
          frame={frame}
          target={props.target}
          onClose={() => setOpen(false)}
          onDone={(next) => {
            onFrame(next);
            setOpen(false);
          }}
        />
      )}
    </>
  );
}
