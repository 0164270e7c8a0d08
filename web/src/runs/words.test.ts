import { expect, test } from "vitest";
import type { Job } from "../api/client";
import { clock, jobText, progress } from "./words";

const job = (part: Partial<Job>): Job =>
  ({ id: 1, state: "waiting", progress: 0, created_at: "2026-11-26T10:00:00Z", ...part }) as Job;

test("a job says what it does and how long it will take", () => {
  expect(jobText(job({ forecast: 40 }))).toBe("waiting, will take 40 s");
  expect(jobText(job({ reason: "tried again every 15 s: the disk is full" }))).toContain("the disk is full");
  expect(jobText(job({ state: "running", stage: "reading" }))).toBe("reading the original");
  expect(jobText(job({ state: "running", stage: "computing", progress: 0.426, seconds_left: 12 }))).toBe(
    "computing, 43 %, 12 s left",
  );
  expect(jobText(job({ state: "paused", progress: 0.2 }))).toBe("paused at 20 %");
  const times = { started_at: "2026-11-26T10:00:00Z", finished_at: "2026-11-26T10:00:31Z", forecast: 28 };
  expect(jobText(job({ state: "done", ...times }))).toBe("done in 31 s, 28 s were forecast");
  expect(jobText(job({ state: "failed", reason: "the file is damaged" }))).toBe("failed: the file is damaged");
});

test("all together are weighed by their time, and what ended before does not count", () => {
  const ahead = [job({ forecast: 30, progress: 0.5, state: "running" }), job({ forecast: 30 })];
  const ended = [
    job({ forecast: 60, state: "done", finished_at: "2026-11-26T10:05:00Z" }),
    job({ forecast: 999, state: "done", created_at: "2026-11-25T10:00:00Z", finished_at: "2026-11-25T11:00:00Z" }),
    job({ forecast: 5, state: "cancelled", finished_at: "2026-11-26T10:05:00Z" }),
  ];
  expect(progress({ ahead, ended })).toEqual({ done: 75, all: 120 });
  expect(progress({ ahead: [job({ progress: 0.5 }), job({ forecast: 9 })], ended: [] })).toEqual({ done: 0.5, all: 2 });
  expect(progress({ ahead: [], ended })).toEqual({ done: 0, all: 0 });
});

test("the time of day when it will be done", () => {
  expect(clock(3600, new Date(2026, 10, 26, 22, 30))).toBe("23:30");
});
