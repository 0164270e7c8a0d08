/** The order's runs: what waits, runs, is done, failed. */

import { Box, Button, Drawer, LinearProgress, Stack, Typography } from "@mui/material";
import type { Job, OrderContents } from "../api/client";
import { duration } from "../app/format";
import { Record } from "./Record";

export function Runs(props: {
  open: boolean;
  contents?: OrderContents;
  onClose: () => void;
  onCancel: (job: number) => void;
  onRetry: (job: number) => void;
  onShow: (original: number) => void;
}) {
  const { contents } = props;
  return (
    <Drawer
      anchor="right"
      open={props.open}
      onClose={props.onClose}
      slotProps={{
        paper: { sx: { width: 420, borderLeft: 1, borderColor: "divider" }, "aria-label": "Runs" } as object,
      }}
    >
      <Stack spacing={2} sx={{ p: 2 }} component="section" aria-label="Runs of this order">
        <Box sx={{ display: "flex", alignItems: "center" }}>
          <Typography component="h2" variant="h1" sx={{ flex: 1 }}>
            Runs
          </Typography>
          <Button onClick={props.onClose}>Close</Button>
        </Box>
        {(!contents || contents.jobs.length === 0) && (
          <Typography variant="body2">
            No run yet in this order. Choose a picture, say how large, and press Run.
          </Typography>
        )}
        {contents?.jobs.map((job) => (
          <JobRow key={job.id} job={job} {...props} contents={contents} />
        ))}
      </Stack>
    </Drawer>
  );
}

const WORDS: { [state in Job["state"]]: string } = {
  waiting: "waiting",
  running: "running",
  done: "done",
  failed: "failed",
  cancelled: "cancelled",
};

function JobRow(props: {
  job: Job;
  contents: OrderContents;
  onCancel: (id: number) => void;
  onRetry: (id: number) => void;
  onShow: (id: number) => void;
}) {
  const { job, contents } = props;
  const original = contents.originals.find((o) => o.id === job.original_id);
  const result = contents.enlargements.find((e) => e.job_id === job.id);
  return (
    <Box
      component="article"
      aria-label={job.file_name}
      sx={{ borderTop: 1, borderColor: "divider", pt: 1.5, display: "grid", gridTemplateColumns: "64px 1fr", gap: 1.5 }}
    >
      <Box
        component="img"
        src={`/api/v1/originals/${job.original_id}/thumbnail`}
        alt=""
        sx={{ width: 64, height: 48, objectFit: "contain" }}
      />
      <Box sx={{ minWidth: 0 }}>
        {result ? (
          <Record result={result} />
        ) : (
          <>
            <Typography variant="body2" noWrap sx={{ fontWeight: 600 }}>
              {job.file_name}
            </Typography>
            <Typography variant="body2" sx={{ color: job.state === "failed" ? "error.main" : "text.secondary" }}>
              {WORDS[job.state]}
              {job.state === "running" &&
                `, ${Math.round(job.progress * 100)} %${job.seconds_left == null ? "" : `, ${duration(job.seconds_left)} left`}`}
              {job.reason && `: ${job.reason}`}
            </Typography>
            {job.state === "running" && (
              <LinearProgress
                variant="determinate"
                value={job.progress * 100}
                aria-label={job.file_name}
                sx={{ my: 0.5 }}
              />
            )}
          </>
        )}
        <Stack direction="row" spacing={1} sx={{ ml: -0.75 }}>
          {(job.state === "running" || job.state === "waiting") && (
            <Button onClick={() => props.onCancel(job.id)}>Cancel</Button>
          )}
          {(job.state === "failed" || job.state === "cancelled") && (
            <Button onClick={() => props.onRetry(job.id)}>Run again</Button>
          )}
          {original && <Button onClick={() => props.onShow(original.id)}>Show on the bench</Button>}
        </Stack>
      </Box>
    </Box>
  );
}
