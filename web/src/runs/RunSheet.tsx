/** The run sheet: what runs, waits and is paused, in its turn and with honest times; and what became of the rest. */

import ArrowDownwardIcon from "@mui/icons-material/ArrowDownward";
import ArrowUpwardIcon from "@mui/icons-material/ArrowUpward";
import PauseIcon from "@mui/icons-material/Pause";
import PlayArrowIcon from "@mui/icons-material/PlayArrow";
import CloseIcon from "@mui/icons-material/Close";
import ReplayIcon from "@mui/icons-material/Replay";
import VerticalAlignTopIcon from "@mui/icons-material/VerticalAlignTop";
import { Alert, Box, Button, IconButton, LinearProgress, Stack, Tooltip, Typography } from "@mui/material";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type JobAction, type Job, type Order, type RunSheet as Sheet, answered, api, sentence } from "../api/client";
import { keys, useInstruct, useRunSheet } from "../api/queries";
import { VirtualRows } from "../app/VirtualRows";
import { counted, duration, whole } from "../app/format";
import { neighbour } from "../orders/picking";
import { clock, jobText, progress } from "./words";

const ROW_HEIGHT = 60;
const HEAD_HEIGHT = 40;

type Row = { kind: "head"; text: string } | { kind: "job"; job: Job };

export function RunSheet(props: {
  orders: Order[];
  notify: boolean;
  onNotify: (on: boolean) => void;
  onShow: (order: number, original: number) => void;
}) {
  const client = useQueryClient();
  const sheet = useRunSheet();
  const instruct = useInstruct();
  const hold = useMutation({
    mutationFn: (held_up: boolean) => answered(api.POST("/api/v1/run-sheet/hold", { body: { held_up } })),
    onSettled: () => client.invalidateQueries({ queryKey: keys.runSheet }),
  });
  const data = sheet.data;
  const rows = data ? rowsOf(data) : [];
  const turns = data?.ahead.filter((j) => j.state !== "running").map((j) => j.id) ?? [];
  const failed = data?.ended.filter((j) => j.state === "failed").map((j) => j.id) ?? [];
  const title = (order: number) => props.orders.find((o) => o.id === order)?.title ?? `order ${order}`;
  const tell = (jobs: number[], action: JobAction) => instruct.mutate({ jobs, ...action });
  const error = sheet.error ?? instruct.error ?? hold.error;

  return (
    <Stack component="main" aria-label="Run sheet" sx={{ flex: 1, minHeight: 0 }}>
      {error != null && <Alert severity="error">{sentence(error)}</Alert>}
      <Stack
        direction="row"
        spacing={2}
        sx={{ px: 2.5, py: 1.5, alignItems: "center", borderBottom: 1, borderColor: "divider" }}
      >
        {data && <Summary sheet={data} />}
        <Box sx={{ flex: 1 }} />
        <Button
          aria-pressed={props.notify}
          color={props.notify ? "primary" : "inherit"}
          onClick={() => props.onNotify(!props.notify)}
        >
          {props.notify ? "Tells when all is done" : "Tell me when all is done"}
        </Button>
        {failed.length > 0 && (
          <Button onClick={() => tell(failed, { do: "retry" })}>Run {failed.length} failed again</Button>
        )}
        {data && (
          <Button
            variant={data.held_up ? "contained" : "outlined"}
            startIcon={data.held_up ? <PlayArrowIcon /> : <PauseIcon />}
            disabled={hold.isPending}
            onClick={() => hold.mutate(!data.held_up)}
          >
            {data.held_up ? "Go on" : "Hold everything up"}
          </Button>
        )}
      </Stack>
      {data?.held_up && (
        <Alert severity="info" square>
          Everything is held up: nothing starts, and what ran was set aside with what it had computed.
        </Alert>
      )}
      {data && data.workers.length === 0 && data.ahead.length > 0 && (
        <Alert severity="error" square>
          No worker is there: start one with &quot;dettaglio-server worker&quot;, or the server with --workers 1.
        </Alert>
      )}
      {rows.length === 0 && data && (
        <Stack sx={{ flex: 1, alignItems: "center", justifyContent: "center" }}>
          <Typography variant="h2" component="p">
            Nothing was run yet
          </Typography>
          <Typography sx={{ color: "text.secondary", mt: 1 }}>
            Run a picture on the bench, or a whole order from its contact sheet.
          </Typography>
        </Stack>
      )}
      <VirtualRows
        label="Jobs"
        count={rows.length}
        heightOf={(index) => (rows[index]?.kind === "head" ? HEAD_HEIGHT : ROW_HEIGHT)}
        keyOf={(index) => {
          const row = rows[index];
          return row?.kind === "job" ? row.job.id : (row?.text ?? index);
        }}
      >
        {(index) => {
          const row = rows[index];
          if (!row) return null;
          return row.kind === "head" ? (
            <Typography variant="h2" component="h2" sx={{ px: 2.5, pt: 1.5 }}>
              {row.text}
            </Typography>
          ) : (
            <JobRow
              job={row.job}
              order={title(row.job.order_id)}
              turns={turns}
              onDo={(action) => tell([row.job.id], action)}
              onShow={() => props.onShow(row.job.order_id, row.job.original_id)}
            />
          );
        }}
      </VirtualRows>
    </Stack>
  );
}

function rowsOf(sheet: Sheet): Row[] {
  const jobs = (all: Job[]): Row[] => all.map((job) => ({ kind: "job", job }));
  const ahead: Row[] =
    sheet.ahead.length > 0 ? [{ kind: "head", text: `Ahead: ${whole(sheet.ahead.length)}` }, ...jobs(sheet.ahead)] : [];
  const shown = sheet.ended.length < sheet.ended_in_all ? `, the last ${sheet.ended.length}` : "";
  const ended: Row[] =
    sheet.ended.length > 0
      ? [{ kind: "head", text: `Ended: ${whole(sheet.ended_in_all)}${shown}` }, ...jobs(sheet.ended)]
      : [];
  return [...ahead, ...ended];
}

function Summary({ sheet }: { sheet: Sheet }) {
  const { done, all } = progress(sheet);
  const machines = new Set(sheet.workers.map((w) => w.machine)).size;
  const left = sheet.seconds_left;
  return (
    <Box sx={{ minWidth: 320 }}>
      <Typography variant="body2" aria-live="polite">
        {sheet.ahead.length === 0 ? (
          "All that was asked for is done."
        ) : (
          <>
            <strong>{left == null ? "time not known yet" : `${duration(left)} left`}</strong>
            {left != null && !sheet.held_up && `, until about ${clock(left)}`};{" "}
            {counted(sheet.workers.length, "worker")}
            {machines > 1 && ` on ${machines} machines`}
          </>
        )}
      </Typography>
      {all > 0 && (
        <LinearProgress
          variant="determinate"
          value={(done / all) * 100}
          aria-label="All together"
          sx={{ mt: 0.75, height: 4 }}
        />
      )}
    </Box>
  );
}

function JobRow(props: {
  job: Job;
  order: string;
  turns: number[];
  onDo: (action: JobAction) => void;
  onShow: () => void;
}) {
  const { job, turns, onDo } = props;
  const [up, down] = [neighbour(turns, job.id, -1), neighbour(turns, job.id, 1)];
  const waits = job.state === "waiting" || job.state === "paused";
  return (
    <Stack
      direction="row"
      spacing={1.5}
      component="article"
      aria-label={job.file_name}
      sx={{ height: "100%", alignItems: "center", px: 2.5, borderBottom: 1, borderColor: "divider" }}
    >
      <Box
        component="img"
        src={`/api/v1/originals/${job.original_id}/thumbnail`}
        alt=""
        loading="lazy"
        sx={{ width: 60, height: 44, objectFit: "contain", flexShrink: 0 }}
      />
      <Box sx={{ width: 330, minWidth: 0 }}>
        <Typography variant="subtitle2" noWrap title={job.file_name}>
          {job.file_name}
        </Typography>
        <Typography variant="caption" noWrap component="div" sx={{ color: "text.secondary" }}>
          {props.order}, from {job.original_name}
        </Typography>
      </Box>
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <Typography
          variant="body2"
          noWrap
          title={job.reason ?? undefined}
          sx={{ color: job.state === "failed" ? "error.main" : job.state === "done" ? "measured" : "text.primary" }}
        >
          {jobText(job)}
        </Typography>
        {(job.state === "running" || (job.state === "paused" && job.progress > 0)) && (
          <LinearProgress
            variant="determinate"
            value={job.progress * 100}
            aria-label={job.file_name}
            sx={{ mt: 0.5, maxWidth: 420 }}
          />
        )}
      </Box>
      <Stack direction="row" sx={{ flexShrink: 0 }}>
        {waits && (
          <>
            <Act
              name="Before all others"
              icon={<VerticalAlignTopIcon fontSize="small" />}
              onClick={() => onDo({ do: "move", before: turns[0] ?? null })}
              off={up === undefined}
            />
            <Act
              name="Earlier"
              icon={<ArrowUpwardIcon fontSize="small" />}
              onClick={() => up && onDo({ do: "move", before: up.before ?? null })}
              off={up === undefined}
            />
            <Act
              name="Later"
              icon={<ArrowDownwardIcon fontSize="small" />}
              onClick={() => down && onDo({ do: "move", before: down.before ?? null })}
              off={down === undefined}
            />
          </>
        )}
        {(job.state === "waiting" || job.state === "running") && (
          <Act name="Pause" icon={<PauseIcon fontSize="small" />} onClick={() => onDo({ do: "pause" })} />
        )}
        {job.state === "paused" && (
          <Act name="Resume" icon={<PlayArrowIcon fontSize="small" />} onClick={() => onDo({ do: "resume" })} />
        )}
        {(waits || job.state === "running") && (
          <Act name="Cancel" icon={<CloseIcon fontSize="small" />} onClick={() => onDo({ do: "cancel" })} />
        )}
        {(job.state === "failed" || job.state === "cancelled" || (job.state === "waiting" && job.reason)) && (
          <Act
            name={job.state === "waiting" ? "Try now" : "Run again"}
            icon={<ReplayIcon fontSize="small" />}
            onClick={() => onDo({ do: "retry" })}
          />
        )}
        <Button onClick={props.onShow}>Bench</Button>
        {job.enlargement_id != null && (
          <Button component="a" href={`/api/v1/enlargements/${job.enlargement_id}/file`} download={job.file_name}>
            Save
          </Button>
        )}
      </Stack>
    </Stack>
  );
}

function Act(props: { name: string; icon: React.ReactNode; onClick: () => void; off?: boolean }) {
  return (
    <Tooltip title={props.name}>
      <span>
        <IconButton aria-label={props.name} disabled={props.off} onClick={props.onClick}>
          {props.icon}
        </IconButton>
      </span>
    </Tooltip>
  );
}
