/** The print as a sentence, each underlined part a control; below it, what follows from it. */

import { Box, ButtonBase, MenuItem, Popover, Stack, TextField, Typography } from "@mui/material";
import { type ReactNode, useState } from "react";
import { type Original, type Plan, type Target, sentence } from "../api/client";
import { bytes, decimal, distance, duration, pixels } from "../app/format";
import { Figure, TargetFields } from "./TargetFields";
import type { IntentControl } from "./state";

/** An underlined part of the sentence; opens its controls below. */
function Part(props: { name: string; text: string; children: ReactNode }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <ButtonBase
        aria-label={`${props.name}: ${props.text}`}
        aria-haspopup="dialog"
        aria-expanded={anchor !== null}
        onClick={(e) => setAnchor(e.currentTarget)}
        sx={{
          font: "inherit",
          fontWeight: "fontWeightBold",
          color: "primary.main",
          borderBottom: "1px solid",
          borderColor: "primary.main",
          borderRadius: 0,
          lineHeight: 1.25,
          whiteSpace: "nowrap",
        }}
      >
        {props.text}
      </ButtonBase>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
        slotProps={{ paper: { role: "dialog", "aria-label": props.name } as object }}
      >
        {props.children}
      </Popover>
    </>
  );
}

/** The target as it stands in the sentence. */
export function targetText(target: Target): string {
  switch (target.by) {
    case "print":
      return `${decimal(target.paper.width)} × ${decimal(target.paper.height)} ${target.paper.unit}`;
    case "factor":
      return `${decimal(target.factor, 3)} times its size`;
    case "percent":
      return `${decimal(target.percent, 1)} %`;
    case "width":
      return `${target.px} px wide`;
    case "height":
      return `${target.px} px high`;
    case "long_edge":
      return `${target.px} px along the long edge`;
    case "short_edge":
      return `${target.px} px along the short edge`;
  }
}

export function TicketLine(props: {
  original: Original;
  control: IntentControl;
  plan?: Plan;
  error?: unknown;
  fileBytes?: number;
}) {
  const { original, plan } = props;
  const { intent, change } = props.control;
  const { target } = intent;
  return (
    <Box
      component="section"
      aria-label="Print"
      className="steps-back"
      sx={{ px: 2, py: 1, bgcolor: "background.paper", borderBottom: 1, borderColor: "divider", minHeight: 64 }}
    >
      <Typography variant="subtitle1" noWrap>
        Enlarge <em>{original.name}</em> to{" "}
        <Part name="Size" text={targetText(target)}>
          <TargetFields
            target={target}
            original={plan?.kept ?? original.facts.size}
            plan={plan}
            onChange={(t) => change({ target: t })}
          />
        </Part>
        {target.by === "print" && (
          <>
            {" at "}
            <Part name="Resolution" text={`${decimal(target.ppi)} ppi`}>
              <Box sx={{ width: 200 }}>
                <Figure
                  label="Pixels per inch"
                  unit="ppi"
                  autoFocus
                  value={target.ppi}
                  onChange={(ppi) => change({ target: { ...target, ppi } })}
                />
              </Box>
            </Part>
            {", to be seen from "}
            <Part name="Viewing distance" text={distance(plan?.verdict?.distance_m ?? 1)}>
              <Distance
                value={intent.distance_m ?? undefined}
                usual={plan?.verdict?.distance_m ?? 1}
                onChange={(distance_m) => change({ distance_m })}
              />
            </Part>
          </>
        )}
        .
      </Typography>
      <Consequences plan={plan} error={props.error} fileBytes={props.fileBytes} />
    </Box>
  );
}

function Distance(props: { value?: number; usual: number; onChange: (m: number | null) => void }) {
  return (
    <Stack spacing={2} sx={{ width: 260 }}>
      <TextField
        select
        label="Seen from"
        value={props.value === undefined ? "usual" : "given"}
        onChange={(e) => props.onChange(e.target.value === "usual" ? null : props.usual)}
      >
        <MenuItem value="usual">The usual distance, 1.5 diagonals</MenuItem>
        <MenuItem value="given">A distance of its own</MenuItem>
      </TextField>
      {props.value !== undefined && (
        <Figure label="Distance" unit="m" autoFocus value={props.value} onChange={props.onChange} />
      )}
    </Stack>
  );
}

/** All that follows from the sentence: computed, never decorative. */
function Consequences({ plan, error, fileBytes }: { plan?: Plan; error?: unknown; fileBytes?: number }) {
  const trouble = error ? sentence(error) : plan?.problem?.detail;
  if (trouble) {
    return (
      <Typography role="alert" color="error" variant="body2" sx={{ mt: 0.5 }} noWrap title={trouble}>
        {trouble}
      </Typography>
    );
  }
  if (!plan)
    return (
      <Typography variant="body2" sx={{ mt: 0.5 }}>
        &nbsp;
      </Typography>
    );
  const { resolved, verdict } = plan;
  const facts = [
    pixels(plan.sheet),
    `${decimal(resolved.factor)} times`,
    plan.seconds == null ? "time not known yet" : `about ${duration(plan.seconds)}`,
    fileBytes === undefined ? "file size being measured" : `about ${bytes(fileBytes)}`,
  ];
  if (plan.on_paper) {
    const { width, height, unit } = plan.on_paper;
    facts.push(`picture ${decimal(width, 1)} × ${decimal(height, 1)} ${unit} on the sheet, the rest stays empty`);
  }
  return (
    <Typography variant="body2" sx={{ mt: 0.5, color: "measured" }} noWrap data-testid="consequences">
      {facts.join("  ·  ")}
      {verdict && (
        <>
          {"  ·  "}
          {`real detail, ${decimal(verdict.detail_ppi, 0)} ppi, holds from ${distance(verdict.sharp_from_m)}`}
        </>
      )}
    </Typography>
  );
}
