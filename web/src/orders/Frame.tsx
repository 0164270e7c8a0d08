/** A picture of an order, with its last results and what is becoming of it. */

import CheckBoxIcon from "@mui/icons-material/CheckBox";
import CheckBoxOutlineBlankIcon from "@mui/icons-material/CheckBoxOutlineBlank";
import { Box, ButtonBase, IconButton, LinearProgress, Stack, Tooltip, Typography } from "@mui/material";
import { type MouseEvent } from "react";
import { type Enlargement, type Job, type Original, type Printing } from "../api/client";
import { bytes, pixels } from "../app/format";
import { TILE } from "../stage/tiles";
import { STAGE_GROUND } from "../look/tokens";

/** What became of a picture, the latest that counts. */
function fate(job: Job | undefined, results: Enlargement[]): { text: string; colour: string } | undefined {
  if (job?.state === "running") return { text: `${Math.round(job.progress * 100)} %`, colour: "primary.main" };
  if (job?.state === "waiting" || job?.state === "paused") return { text: job.state, colour: "text.secondary" };
  if (job?.state === "failed") return { text: "failed", colour: "error.main" };
  const [result] = results;
  if (!result) return undefined;
  if (result.verdict === "accepted") return { text: "accepted", colour: "measured" };
  if (result.verdict === "sent_back") return { text: "sent back", colour: "error.main" };
  return { text: "to look through", colour: "primary.main" };
}

/** What the printer said last of a picture's results. */
function atPrinter(
  results: Enlargement[],
  printings: Printing[] | undefined,
): { text: string; colour: string } | undefined {
  const last = printings?.find((p) => results.some((e) => e.id === p.enlargement_id));
  if (!last) return undefined;
  if (last.state === "printed") return { text: "printed", colour: "measured" };
  if (last.state === "refused") return { text: `printer: ${last.answer}`, colour: "error.main" };
  return { text: "in the printer's queue", colour: "primary.main" };
}

/** A result in one tile. */
function smallest({ id, record }: Enlargement): string {
  const { width, height } = record.size;
  const level = Math.max(0, Math.ceil(Math.log2(Math.max(width, height) / TILE)));
  return `/api/v1/enlargements/${id}/tiles/${level}/0/0`;
}

function Small(props: { src: string; alt: string }) {
  return (
    <Box
      component="img"
      loading="lazy"
      {...props}
      sx={{ display: "block", flex: 1, minWidth: 0, height: "100%", objectFit: "contain" }}
    />
  );
}

export function Frame(props: {
  original: Original;
  selected: boolean;
  job?: Job;
  results: Enlargement[];
  /** Whether the latest result stands beside it. */
  both: boolean;
  printings?: Printing[];
  onPick: (e: MouseEvent) => void;
  onShow: () => void;
}) {
  const { original, job, results } = props;
  const state = atPrinter(results, props.printings) ?? fate(job, results);
  const after = props.both ? results[0] : undefined;
  return (
    <Box
      sx={{
        height: "100%",
        border: 1,
        borderColor: props.selected ? "primary.main" : "divider",
        bgcolor: "background.paper",
        position: "relative",
        overflow: "hidden",
      }}
    >
      <Tooltip title="Put on the bench" describeChild>
        <ButtonBase onClick={props.onShow} sx={{ display: "block", width: "100%", textAlign: "left" }}>
          <Stack direction="row" spacing={0.25} sx={{ height: 148, bgcolor: STAGE_GROUND }}>
            <Small src={`/api/v1/originals/${original.id}/thumbnail`} alt={props.both ? "Before" : ""} />
            {after && <Small src={smallest(after)} alt="After" />}
          </Stack>
          <Box sx={{ px: 1, py: 0.75 }}>
            <Typography variant="subtitle2" noWrap title={original.name}>
              {original.name}
            </Typography>
            <Stack direction="row" spacing={1} sx={{ alignItems: "baseline" }}>
              <Typography variant="caption" noWrap sx={{ color: "text.secondary", flex: 1 }}>
                {pixels(original.facts.size)}, {bytes(original.facts.bytes)}
              </Typography>
              {results.length > 1 && (
                <Typography variant="caption" sx={{ color: "text.secondary" }}>
                  {results.length} results
                </Typography>
              )}
            </Stack>
            <Typography
              variant="caption"
              component="div"
              noWrap
              title={job?.state === "failed" ? (job.reason ?? undefined) : state?.text}
              sx={{ color: state?.colour ?? "text.secondary", fontWeight: "fontWeightBold", minHeight: 20 }}
            >
              {state?.text ?? ""}
            </Typography>
          </Box>
        </ButtonBase>
      </Tooltip>
      <IconButton
        aria-label={`Choose ${original.name}`}
        aria-pressed={props.selected}
        onClick={props.onPick}
        sx={{
          position: "absolute",
          top: 4,
          left: 4,
          p: 0.25,
          borderRadius: "2px",
          bgcolor: "background.paper",
          color: props.selected ? "primary.main" : "text.secondary",
          "&:hover": { bgcolor: "background.paper" },
        }}
      >
        {props.selected ? <CheckBoxIcon fontSize="small" /> : <CheckBoxOutlineBlankIcon fontSize="small" />}
      </IconButton>
      {job?.state === "running" && (
        <LinearProgress
          variant="determinate"
          value={job.progress * 100}
          aria-label={`${original.name}, enlarging`}
          sx={{ position: "absolute", left: 0, right: 0, bottom: 0, height: 3 }}
        />
      )}
    </Box>
  );
}
