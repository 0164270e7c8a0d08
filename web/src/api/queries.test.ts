import { expect, test } from "vitest";
import type { Job, RunSheet } from "./client";
import { progressed } from "./queries";

const job = (id: number, part: Partial<Job>) => ({ id, state: "waiting", progress: 0, ...part }) as Job;

test("a job that goes on is patched into the sheet, and the time left with it", () => {
  const ahead = [job(1, { state: "running", progress: 0.2, seconds_left: 8 }), job(2, {})];
  const sheet = { ahead, ended: [], seconds_left: 40 } as unknown as RunSheet;
  const next = progressed(sheet, job(1, { state: "running", progress: 0.5, seconds_left: 5 }));
  expect(next?.ahead.map((j) => j.progress)).toEqual([0.5, 0]);
  expect(next?.seconds_left).toBe(37);
});

test("a start, an end or a job that is not known asks for the whole sheet", () => {
  const sheet = { ahead: [job(1, {}), job(2, { state: "running" })], ended: [] } as unknown as RunSheet;
  expect(progressed(sheet, job(1, { state: "running" }))).toBeUndefined();
  expect(progressed(sheet, job(2, { state: "done" }))).toBeUndefined();
  expect(progressed(sheet, job(3, { state: "running" }))).toBeUndefined();
});
