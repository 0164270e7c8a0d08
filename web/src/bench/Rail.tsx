/** The process rail: one card per step in the order of the work, and the run at its end. */

import { Box, Button, Stack, Typography } from "@mui/material";
import type { ReactNode } from "react";
import type {
  Enlargement,
  InWords,
  Job,
  Model,
  Original,
  OwnFace,
  Plan,
  Reading,
  Steps,
  StepsInWords,
  Suggestion,
} from "../api/client";
import { duration } from "../app/format";
import { WithBand } from "./cards/band";
import { CleanCard } from "./cards/CleanCard";
import { DeliverCard } from "./cards/DeliverCard";
import { EnlargeCard } from "./cards/EnlargeCard";
import { FacesCard } from "./cards/FacesCard";
import { FinishCard } from "./cards/FinishCard";
import { FrameCard } from "./cards/FrameCard";
import { type Marking, RepairCard } from "./cards/RepairCard";
import { ReadingCard } from "./cards/ReadingCard";
import { ResultsCard } from "./cards/ResultsCard";
import type { IntentControl } from "./state";
import { NOTHING_CLEANED, NOTHING_FINISHED, NOTHING_REPAIRED, PLAIN_FRAME } from "./intent";

export function Rail(props: {
  original: Original;
  models: Model[];
  control: IntentControl;
  /** The steps that the cards are about: of the whole picture or of an area. */
  steps: Steps;
  changeSteps: (part: Partial<Steps>) => void;
  /** All steps in a few words each, and those of `steps`. */
  inWords?: InWords;
  words?: StepsInWords;
  /** Which treatment and which part of the picture. */
  tabs: ReactNode;
  reading?: Reading;
  suggestion?: Suggestion;
  pattern: string;
  onPattern: (pattern: string) => void;
  plan?: Plan;
  fileBytes?: number;
  blocked: boolean;
  starting: boolean;
  onRun: () => void;
  onMask: (shown: boolean) => void;
  /** Marking wear by hand. */
  hand: Marking;
  facesShown: boolean;
  onFacesShown: (shown: boolean) => void;
  onDrawFace: () => void;
  onFace: (face: OwnFace) => void;
  job?: Job;
  onCancel: (job: number) => void;
  results: Enlargement[];
  onRemove: () => void;
  /** The treatment of the whole; nothing while it is not known, and where the cards are about an area. */
  asked?: string;
  /** What the band may hold besides the steps' controls. */
  loose: ReactNode;
  /** The card that lies open. */
  card?: string;
  onCard: (name: string | undefined) => void;
}) {
  const { original, models, plan, reading, suggestion, steps, changeSteps } = props;
  const { intent, change } = props.control;
  const { inWords, words } = props;
  return (
    <WithBand open={props.card} onOpen={props.onCard}>
      {props.loose}
      <Box
        component="section"
        aria-label="Process"
        className="steps-back"
        sx={{
          display: "flex",
          alignItems: "stretch",
          minHeight: 56,
          flexShrink: 0,
          bgcolor: "background.paper",
          borderTop: 1,
          borderColor: "divider",
        }}
      >
        {props.tabs}
        <Box sx={{ display: "flex", flex: 1, minWidth: 0, overflowX: "auto", scrollbarWidth: "none" }}>
          <ReadingCard original={original} reading={reading} doubts={suggestion?.doubts} onRemove={props.onRemove} />
          <FrameCard
            original={original}
            frame={intent.frame ?? PLAIN_FRAME}
            surround={intent.surround ?? { kind: "none" }}
            words={inWords?.frame ?? ""}
            target={intent.target}
            plan={plan}
            border={reading?.reading.border}
            onFrame={(frame) => change({ frame })}
            onSurround={(surround) => change({ surround })}
          />
          <RepairCard
            repair={intent.repair ?? NOTHING_REPAIRED}
            words={inWords?.repair ?? ""}
            suggestion={suggestion}
            onChange={(repair) => change({ repair })}
            hand={props.hand}
          />
          <CleanCard
            clean={steps.clean ?? NOTHING_CLEANED}
            words={words?.clean ?? ""}
            models={models}
            plan={plan}
            reading={reading}
            suggestion={suggestion}
            onChange={(clean) => changeSteps({ clean })}
          />
          <EnlargeCard
            choice={steps.enlarge}
            words={words?.enlarge ?? ""}
            models={models}
            plan={plan}
            suggestion={suggestion}
            onChange={(enlarge) => changeSteps({ enlarge })}
            original={original}
            asked={props.asked}
          />
          <FacesCard
            original={original}
            intent={intent}
            words={inWords?.faces ?? "being looked for"}
            models={models}
            plan={plan}
            suggestion={suggestion}
            change={change}
            shown={props.facesShown}
            onShown={props.onFacesShown}
            onDraw={props.onDrawFace}
            onGo={props.onFace}
          />
          <FinishCard
            faces={plan?.faces.length ?? 0}
            finish={steps.finish ?? NOTHING_FINISHED}
            words={words?.finish ?? ""}
            plan={plan}
            reading={reading}
            suggestion={suggestion}
            onChange={(finish) => changeSteps({ finish })}
            onMask={props.onMask}
          />
          <DeliverCard
            intent={intent}
            facts={props.original.facts}
            words={inWords?.deliver ?? ""}
            fileBytes={props.fileBytes}
            pattern={props.pattern}
            onPattern={props.onPattern}
            onChange={(output) => change({ output })}
          />
          <ResultsCard results={props.results} />
        </Box>
        <Run {...props} />
      </Box>
    </WithBand>
  );
}

function Run(props: {
  job?: Job;
  plan?: Plan;
  blocked: boolean;
  starting: boolean;
  onRun: () => void;
  onCancel: (job: number) => void;
}) {
  const { job, plan } = props;
  const busy = job && (job.state === "running" || job.state === "waiting");
  return (
    <Stack
      direction="row"
      spacing={1}
      sx={{ px: 1.5, alignItems: "center", minWidth: busy ? { xs: 120, md: 144 } : 0, justifyContent: "flex-end" }}
    >
      {busy ? (
        <>
          <Box sx={{ minWidth: 72, textAlign: "right" }} role="status" aria-live="polite">
            <Typography variant="subtitle2">
              {job.state === "waiting" ? "waiting" : `${Math.round(job.progress * 100)} %`}
            </Typography>
            <Typography variant="caption" sx={{ color: "text.secondary", whiteSpace: "nowrap" }}>
              {job.seconds_left == null ? "\u00a0" : `${duration(job.seconds_left)} left`}
            </Typography>
          </Box>
          <Button variant="outlined" onClick={() => props.onCancel(job.id)}>
            Cancel
          </Button>
        </>
      ) : (
        <Button
          variant="contained"
          data-testid="run"
          disabled={props.blocked || props.starting}
          onClick={props.onRun}
          sx={{ px: 3, height: 36, whiteSpace: "nowrap" }}
        >
          Run{plan?.seconds != null && !props.blocked ? `, ${duration(plan.seconds)}` : ""}
        </Button>
      )}
    </Stack>
  );
}
