/**
 * A picture of an order, with its last results and what is becoming of it.
 *
 * Plain elements in one styled box: while an order of thousands is scrolled, rows of frames are made anew with every step.
 */

import CheckBoxIcon from "@mui/icons-material/CheckBox";
import CheckBoxOutlineBlankIcon from "@mui/icons-material/CheckBoxOutlineBlank";
import { LinearProgress } from "@mui/material";
import { styled } from "@mui/material/styles";
import { type MouseEvent, memo } from "react";
import { type Enlargement, type Job, type Original, type Printing } from "../api/client";
import { bytes, pixels } from "../app/format";
import { BY_FINGER, STAGE_GROUND } from "../look/tokens";
import { TILE } from "../stage/tiles";

/** How what became of a picture is told: under way, well, or badly. */
type Tone = "still" | "doing" | "well" | "badly";

interface Fate {
  text: string;
  tone: Tone;
}

/** What became of a picture, the latest that counts. */
function fateOf(job: Job | undefined, results: Enlargement[]): Fate | undefined {
  if (job?.state === "running") return { text: `${Math.round(job.progress * 100)} %`, tone: "doing" };
  if (job?.state === "waiting" || job?.state === "paused") return { text: job.state, tone: "still" };
  if (job?.state === "failed") return { text: "failed", tone: "badly" };
  const [result] = results;
  if (!result) return undefined;
  if (result.verdict === "accepted") return { text: "accepted", tone: "well" };
  if (result.verdict === "sent_back") return { text: "sent back", tone: "badly" };
  return { text: "to look through", tone: "doing" };
}

/** What the printer said last of a picture's results. */
function atPrinter(results: Enlargement[], printings: Printing[] | undefined): Fate | undefined {
  const last = printings?.find((p) => results.some((e) => e.id === p.enlargement_id));
  if (!last) return undefined;
  if (last.state === "printed") return { text: "printed", tone: "well" };
  if (last.state === "refused") return { text: `printer: ${last.answer}`, tone: "badly" };
  return { text: "in the printer's queue", tone: "doing" };
}

/** A result in one tile. */
function smallest({ id, record }: Enlargement): string {
  const { width, height } = record.size;
  const level = Math.max(0, Math.ceil(Math.log2(Math.max(width, height) / TILE)));
  return `/api/v1/enlargements/${id}/tiles/${level}/0/0`;
}

const Box = styled("div")(({ theme: { palette, typography, spacing } }) => ({
  height: "100%",
  border: `1px solid ${palette.divider}`,
  backgroundColor: palette.background.paper,
  position: "relative",
  overflow: "hidden",
  "&[data-chosen]": { borderColor: palette.primary.main },
  button: {
    border: 0,
    padding: 0,
    margin: 0,
    font: "inherit",
    color: "inherit",
    background: "none",
    cursor: "pointer",
  },
  ".show": { display: "block", width: "100%", textAlign: "left" },
  ".pictures": { display: "flex", gap: 2, height: 148, backgroundColor: STAGE_GROUND },
  img: { display: "block", flex: 1, minWidth: 0, height: "100%", objectFit: "contain" },
  ".words": { display: "block", padding: spacing(0.75, 1), ...typography.caption },
  ".name, .size, .fate": { overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" },
  ".name": { display: "block", ...typography.subtitle2 },
  ".facts": { display: "flex", gap: spacing(1), color: palette.text.secondary },
  ".size": { flex: 1 },
  ".fate": { display: "block", minHeight: 20, fontWeight: typography.fontWeightBold, color: palette.text.secondary },
  ".fate[data-tone=doing]": { color: palette.primary.main },
  ".fate[data-tone=well]": { color: palette.measured },
  ".fate[data-tone=badly]": { color: palette.error.main },
  ".choose": {
    position: "absolute",
    top: 4,
    left: 4,
    display: "inline-flex",
    alignItems: "center",
    justifyContent: "center",
    padding: 2,
    borderRadius: 2,
    backgroundColor: palette.background.paper,
    color: palette.text.secondary,
    [BY_FINGER]: { minWidth: 36, minHeight: 36 },
  },
  ".choose[aria-pressed=true]": { color: palette.primary.main },
}));

interface FrameProps {
  original: Original;
  selected: boolean;
  job?: Job;
  results: Enlargement[];
  /** Whether the latest result stands beside it. */
  both: boolean;
  /** Whether it passes by too quickly to be seen: then it is an empty frame with a name. */
  hurried: boolean;
  printings?: Printing[];
  onPick: (original: number, e: MouseEvent) => void;
  onShow: (original: number) => void;
}

export const Frame = memo(function Frame(props: FrameProps) {
  const { original, job, results } = props;
  if (props.hurried) {
    return (
      <Box>
        <span className="pictures" />
        <span className="words name">{original.name}</span>
      </Box>
    );
  }
  const fate = atPrinter(results, props.printings) ?? fateOf(job, results);
  const after = props.both ? results[0] : undefined;
  return (
    <Box data-chosen={props.selected || undefined}>
      <button type="button" className="show" title="Put on the bench" onClick={() => props.onShow(original.id)}>
        <span className="pictures">
          <img
            loading="lazy"
            decoding="async"
            src={`/api/v1/originals/${original.id}/thumbnail`}
            alt={props.both ? "Before" : ""}
          />
          {after && <img loading="lazy" decoding="async" src={smallest(after)} alt="After" />}
        </span>
        <span className="words">
          <span className="name" title={original.name}>
            {original.name}
          </span>
          <span className="facts">
            <span className="size">
              {pixels(original.facts.size)}, {bytes(original.facts.bytes)}
            </span>
            {results.length > 1 && <span>{results.length} results</span>}
          </span>
          <span
            className="fate"
            data-tone={fate?.tone}
            title={job?.state === "failed" ? (job.reason ?? undefined) : fate?.text}
          >
            {fate?.text}
          </span>
        </span>
      </button>
      <button
        type="button"
        className="choose"
        aria-label={`Choose ${original.name}`}
        aria-pressed={props.selected}
        onClick={(e) => props.onPick(original.id, e)}
      >
        {props.selected ? <CheckBoxIcon fontSize="small" /> : <CheckBoxOutlineBlankIcon fontSize="small" />}
      </button>
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
});
