/** Jobs in words, and how far all of them are together. */

import type { Job, RunSheet } from "../api/client";
import { duration } from "../app/format";

const STAGES: { [stage in NonNullable<Job["stage"]>]: string } = {
  reading: "reading the original",
  computing: "computing",
  keeping: "keeping the file",
};

/** What a job does, in one line. */
export function jobText(job: Job): string {
  const percent = `${Math.round(job.progress * 100)} %`;
  switch (job.state) {
    case "running": {
      const left = job.seconds_left == null ? "" : `, ${duration(job.seconds_left)} left`;
      const stage = job.stage ? STAGES[job.stage] : "starting";
      return job.stage === "computing" ? `${stage}, ${percent}${left}` : stage;
    }
    case "waiting":
      if (job.reason) return job.reason;
      return job.forecast == null ? "waiting" : `waiting, will take ${duration(job.forecast)}`;
    case "paused":
      return job.progress > 0 ? `paused at ${percent}` : "paused";
    case "done":
      return `done in ${duration(took(job))}${job.forecast ? `, ${duration(job.forecast)} were forecast` : ""}`;
    case "failed":
      return `failed: ${job.reason ?? "no reason is known"}`;
    case "cancelled":
      return "cancelled";
  }
}

function took(job: Job): number {
  if (!job.started_at || !job.finished_at) return 0;
  return (Date.parse(job.finished_at) - Date.parse(job.started_at)) / 1000;
}

/** How much of what is asked for is done, in seconds where they are known, else in jobs: those ahead, and those that ended
 * since the first of them was ordered. */
export function progress(sheet: Pick<RunSheet, "ahead" | "ended">): { done: number; all: number } {
  if (sheet.ahead.length === 0) return { done: 0, all: 0 };
  const first = Math.min(...sheet.ahead.map((j) => Date.parse(j.created_at)));
  const ended = sheet.ended.filter((j) => Date.parse(j.created_at) >= first && j.state !== "cancelled");
  const all = [...sheet.ahead, ...ended];
  const known = all.every((j) => j.forecast != null);
  const weight = (j: Job) => (known ? (j.forecast ?? 1) : 1);
  const done = (j: Job) => (j.finished_at ? 1 : j.progress);
  return {
    done: all.reduce((sum, j) => sum + weight(j) * done(j), 0),
    all: all.reduce((sum, j) => sum + weight(j), 0),
  };
}

/** The time of day in so many seconds. */
export const clock = (seconds: number, now = new Date()): string =>
  new Date(now.getTime() + seconds * 1000).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
