// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { RunSheet as Sheet } from "../api/client";
import { aJob, aSheet, anOrder, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { RunSheet } from "./RunSheet";

// Rows are drawn as far as the list is high, and a page that is not laid out has no height.
beforeEach(() => {
  vi.spyOn(Element.prototype, "clientHeight", "get").mockReturnValue(700);
  answer("POST", "/jobs", () => []);
});
afterEach(() => vi.restoreAllMocks());

function opened(sheet: Sheet) {
  answer("GET", "/run-sheet", () => sheet);
  const onShow = vi.fn();
  const onNotify = vi.fn();
  return {
    ...show(<RunSheet orders={[anOrder()]} notify={false} onNotify={onNotify} onShow={onShow} />),
    onShow,
    onNotify,
  };
}

const told = () => asked().filter(({ what }) => what === "POST /jobs").map(({ body }) => body); // prettier-ignore
const row = (name: string) => screen.findByRole("article", { name }).then(within);

describe("the sheet", () => {
  it("says what to do when there is nothing on it", async () => {
    opened(aSheet());
    expect(await screen.findByText("Nothing was run yet")).toBeVisible();
    expect(screen.getByText("All that was asked for is done.")).toBeVisible();
  });

  it("says how to get a worker when none is there", async () => {
    opened(aSheet({ ahead: [aJob()], workers: [] }));
    expect(await screen.findByText(/No worker is there: start one with "dettaglio-server worker"/)).toBeVisible();
  });

  it("is held up and goes on", async () => {
    answer("POST", "/run-sheet/hold", () => null);
    const { user } = opened(aSheet({ ahead: [aJob()] }));
    await user.click(await screen.findByRole("button", { name: "Hold everything up" }));
    await waitFor(() => expect(asked()).toContainEqual({ what: "POST /run-sheet/hold", body: { held_up: true } }));
    opened(aSheet({ held_up: true }));
    expect(await screen.findByText(/Everything is held up/)).toBeVisible();
    expect(screen.getByRole("button", { name: "Go on" })).toBeEnabled();
  });

  it("runs all that failed again at once", async () => {
    const failed = [4, 5].map((id) =>
      aJob({ id, state: "failed", reason: "the file is damaged", file_name: `${id}.tif` }),
    );
    const { user } = opened(aSheet({ ended: [...failed, aJob({ id: 6, state: "cancelled" })], ended_in_all: 3 }));
    await user.click(await screen.findByRole("button", { name: "Run 2 failed again" }));
    await waitFor(() => expect(told()).toEqual([{ jobs: [4, 5], do: "retry" }]));
  });

  it("says what the server refused", async () => {
    answer("POST", "/jobs", () => new Refused(409, "It has ended meanwhile."));
    const { user } = opened(aSheet({ ahead: [aJob()] }));
    await user.click(await screen.findByRole("button", { name: "Cancel" }));
    expect(await screen.findByRole("alert")).toHaveTextContent("It has ended meanwhile.");
  });

  it("counts the machines that work on it", async () => {
    const workers = ["lab", "lab", "cellar"].map((machine) => ({ name: "w", machine })) as never;
    opened(aSheet({ ahead: [aJob()], workers, seconds_left: 120 }));
    expect(await screen.findByText(/3 workers on 2 machines/)).toBeVisible();
    expect(screen.getByText("2 min left")).toBeVisible();
  });
});

describe("a job on it", () => {
  it("runs, with how far it is, and can be paused and cancelled", async () => {
    const running = aJob({ id: 9, state: "running", stage: "computing", progress: 0.25, seconds_left: 22 });
    const { user } = opened(aSheet({ ahead: [running] }));
    const job = await row("furnace-hall_3543x2362.tif");
    expect(job.getByText("computing, 25 %, 22 s left")).toBeVisible();
    expect(job.getByRole("progressbar")).toHaveAttribute("aria-valuenow", "25");
    expect(job.getByText(/Glassworks exhibition, from furnace-hall\.jpg/)).toBeVisible();
    await user.click(job.getByRole("button", { name: "Pause" }));
    await user.click(job.getByRole("button", { name: "Cancel" }));
    await waitFor(() => expect(told()).toEqual([{ jobs: [9], do: "pause" }, { jobs: [9], do: "cancel" }])); // prettier-ignore
  });

  it("that waits takes another turn", async () => {
    const ahead = [aJob({ id: 1, file_name: "a" }), aJob({ id: 2, file_name: "b" }), aJob({ id: 3, file_name: "c" })];
    const { user } = opened(aSheet({ ahead }));
    const [first, second] = [await row("a"), await row("b")];
    expect(first.getByRole("button", { name: "Earlier" })).toBeDisabled();
    await user.click(second.getByRole("button", { name: "Earlier" }));
    await user.click(second.getByRole("button", { name: "Later" }));
    await user.click(second.getByRole("button", { name: "Before all others" }));
    await waitFor(() =>
      expect(told()).toEqual([
        { jobs: [2], do: "move", before: 1 },
        { jobs: [2], do: "move", before: null },
        { jobs: [2], do: "move", before: 1 },
      ]),
    );
  });

  it("that was put off says why, and is tried at once on demand", async () => {
    const { user } = opened(aSheet({ ahead: [aJob({ reason: "tried again every 15 s: the disk is full" })] }));
    expect(await screen.findByText(/the disk is full/)).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Try now" }));
    await waitFor(() => expect(told()).toEqual([{ jobs: [1], do: "retry" }]));
  });

  it("that is done is saved, and shown on the bench", async () => {
    const done = aJob({ state: "done", progress: 1, enlargement_id: 12, started_at: "2026-11-26T10:00:00Z", finished_at: "2026-11-26T10:00:20Z" }); // prettier-ignore
    const { user, onShow } = opened(aSheet({ ended: [done], ended_in_all: 1 }));
    expect(await screen.findByText("done in 20 s, 30 s were forecast")).toBeVisible();
    expect(screen.getByRole("link", { name: "Save" })).toHaveAttribute("href", "/api/v1/enlargements/12/file");
    await user.click(screen.getByRole("button", { name: "Bench" }));
    expect(onShow).toHaveBeenCalledWith(3, 7);
  });
});
