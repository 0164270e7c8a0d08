// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Batch, BatchItem, BatchPlan } from "../api/client";
import { aModel, anOrder, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { BatchDialog } from "./BatchDialog";

const item = (key: string, part: Partial<BatchItem> = {}): BatchItem => ({
  key, name: `${key}.jpg`, file_name: `${key}.tif`, original_id: 7, description: "", findings: [], skipped: false, ...part,
}); // prettier-ignore
const plan = (part: Partial<BatchPlan>): BatchPlan => ({
  items: [item("a")], prints: [], runs: 1, stopped: 0, bytes_at_most: 4e7, bytes_free: 9e10, seconds: 75, ...part,
}); // prettier-ignore

function opened() {
  const onQueued = vi.fn();
  const onClose = vi.fn();
  const shown = show(<BatchDialog order={anOrder()} originals={[7, 8]} onClose={onClose} onQueued={onQueued} />);
  return { ...shown, onQueued, onClose };
}

/** What was last looked over. */
const lookedOver = () => asked().findLast(({ what }) => what === "POST /orders/3/preflight")?.body as Batch;
const runs = () => asked().filter(({ what }) => what === "POST /orders/3/jobs");
const runButton = () => screen.getByTestId("batch-run");

beforeEach(() => {
  answer("GET", "/models", () => [aModel({ id: "faces", kind: "face", strength: 0.6 })]);
  answer("GET", "/house-treatments", () => [{ id: 5, name: "Sala grande", treatment: {} }]);
  answer("GET", "/products", () => []);
  answer("POST", "/orders/3/jobs", () => [{ id: 1 }, { id: 2 }]);
});

it.each([
  [1, "1 result, about", "1 is sound; these are to be looked at"],
  [2, "3 results, about", "2 are sound; these are to be looked at"],
])("%i that is sound is counted in words", async (sound, results, words) => {
  const soft = item("soft", { findings: [{ kind: "soft_at_distance", text: "it will look soft" }] as never });
  const items = [soft, ...Array.from({ length: sound }, (_, i) => item(`sound-${i}`))];
  answer("POST", "/orders/3/preflight", () => plan({ items, runs: sound === 1 ? 1 : 3 }));
  opened();
  const summary = await screen.findByTestId("batch-summary");
  expect(summary).toHaveTextContent(results);
  expect(summary).toHaveTextContent(words);
});

describe("a run that nothing speaks against", () => {
  beforeEach(() => answer("POST", "/orders/3/preflight", () => plan({ items: [item("a"), item("b")], runs: 2 })));

  it("is told with its cost, and starts", async () => {
    const { user, onQueued } = opened();
    const summary = await screen.findByTestId("batch-summary");
    expect(summary).toHaveTextContent(/2 results, about 75 s on one worker.*Nothing speaks against it\./);
    await user.click(runButton());
    await waitFor(() => expect(onQueued).toHaveBeenCalledWith(2));
    expect(runs()).toHaveLength(1);
    expect(runs()[0]?.body).toMatchObject({ originals: [7, 8], treating: { how: "as_set" }, prints: [], changes: [] });
  });

  it("is looked over again with another treatment for all", async () => {
    const { user } = opened();
    await screen.findByTestId("batch-summary");
    await user.click(screen.getByRole("combobox", { name: "Treatment" }));
    await user.click(await screen.findByRole("option", { name: "house treatment: Sala grande" }));
    await waitFor(() => expect(lookedOver().treating).toEqual({ how: "house", id: 5 }));
    await user.click(screen.getByRole("combobox", { name: "Faces" }));
    await user.click(await screen.findByRole("option", { name: "restored at 40 %" }));
    await waitFor(() => expect(lookedOver().faces).toEqual({ how: "restored", strength: 0.4 }));
    await user.click(screen.getByRole("combobox", { name: "Faces" }));
    const offered = screen.getAllByRole("option", { name: /^restored/ }).map((option) => option.textContent);
    expect(offered).toEqual(["restored at 40 %", "restored at 60 %", "restored at 100 %"]);
  });

  it("makes several files of each picture", async () => {
    const { user } = opened();
    await screen.findByTestId("batch-summary");
    await user.click(screen.getByRole("combobox", { name: "Files of each print" }));
    await user.click(await screen.findByRole("option", { name: "TIFF, 16 bits" }));
    await user.click(await screen.findByRole("option", { name: "WebP" }));
    await waitFor(() =>
      expect(lookedOver().outputs).toEqual([
        { format: "tiff", depth: 16 },
        { format: "webp", depth: 8 },
      ]),
    );
  });
});

describe("a run with findings", () => {
  const stopped = item("b", {
    findings: [
      {
        weight: "stop",
        text: "WebP ends at 16,383 px a side.",
        fix: { by: "format", format: "tiff", words: "As TIFF" },
      },
    ],
  });

  it("does not start until what stops it is mended", async () => {
    const looked = vi.fn((body: unknown) =>
      (body as Batch).changes?.length ? plan({ items: [item("a"), item("b")], runs: 2 }) : plan({ items: [item("a"), stopped], runs: 2, stopped: 1 }),
    ); // prettier-ignore
    answer("POST", "/orders/3/preflight", looked);
    const { user } = opened();
    expect(await screen.findByText("WebP ends at 16,383 px a side.")).toBeVisible();
    expect(screen.getByText(/1 cannot be run as they are/)).toBeVisible();
    expect(runButton()).toBeDisabled();
    await user.click(screen.getByRole("button", { name: "As TIFF" }));
    await waitFor(() => expect(runButton()).toBeEnabled());
    expect(lookedOver().changes).toEqual([
      { key: "b", fix: { by: "format", format: "tiff", words: "As TIFF" }, skip: false },
    ]);
  });

  it("may leave pictures out, and take them in again", async () => {
    answer("POST", "/orders/3/preflight", (body) => {
      const left = (body as Batch).changes?.some((c) => c.skip) ?? false;
      return plan({ items: [item("a"), { ...stopped, skipped: left }], runs: left ? 1 : 2, stopped: left ? 0 : 1 });
    });
    const { user } = opened();
    await user.click(await screen.findByRole("button", { name: "Leave out" }));
    expect(await screen.findByText("left out")).toBeVisible();
    await waitFor(() => expect(runButton()).toHaveTextContent("Run 1"));
    await user.click(screen.getByRole("button", { name: "Take in" }));
    await waitFor(() => expect(runButton()).toBeDisabled());
  });

  it("forgets what was decided on single pictures when all are treated otherwise", async () => {
    answer("POST", "/orders/3/preflight", () => plan({ items: [item("a"), stopped], runs: 2, stopped: 1 }));
    const { user } = opened();
    await user.click(await screen.findByRole("button", { name: "Leave out" }));
    await waitFor(() => expect(lookedOver().changes).toHaveLength(1));
    await user.click(screen.getByRole("combobox", { name: "Treatment" }));
    await user.click(await screen.findByRole("option", { name: "as each picture suggests" }));
    await waitFor(() => expect(lookedOver()).toMatchObject({ treating: { how: "suggested" }, changes: [] }));
  });
});

it("says why it cannot be looked over or run", async () => {
  answer("POST", "/orders/3/preflight", () => new Refused(409, "The order is in the archive: take it out first."));
  opened();
  expect(await screen.findByRole("alert")).toHaveTextContent("The order is in the archive: take it out first.");
  expect(runButton()).toBeDisabled();
});

it("prints are added and taken away", async () => {
  answer("POST", "/orders/3/preflight", (body) =>
    plan({ prints: (body as Batch).prints?.map(() => "60 × 40 cm at 200 ppi") ?? [] }),
  );
  const { user } = opened();
  await screen.findByTestId("batch-summary");
  await user.click(screen.getByRole("button", { name: "Add a print" }));
  await user.click(screen.getByRole("combobox", { name: "Print" }));
  await user.click(await screen.findByRole("option", { name: "another size" }));
  await user.click(screen.getByRole("button", { name: "Add" }));
  await waitFor(() => expect(lookedOver().prints).toHaveLength(1));
  const print = await screen.findByRole("button", { name: "Without 60 × 40 cm at 200 ppi" });
  expect(within(print.parentElement ?? print).getByText("60 × 40 cm at 200 ppi")).toBeVisible();
  await user.click(print);
  await waitFor(() => expect(lookedOver().prints).toEqual([]));
});
