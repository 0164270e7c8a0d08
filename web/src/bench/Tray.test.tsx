// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { expect, it, vi } from "vitest";
import { aJob, aResult, contentsOf, show } from "../testing/render";
import { Tray } from "./Tray";

function opened(given: Partial<Parameters<typeof Tray>[0]> = {}) {
  const told = { onSelect: vi.fn(), onAdd: vi.fn() };
  return { ...show(<Tray contents={contentsOf()} arriving={[]} {...told} {...given} />), ...told };
}

it("shows which picture is on the bench, and turns to another", async () => {
  const { user, onSelect } = opened({ selected: 8 });
  const current = screen.getAllByRole("button").filter((b) => b.getAttribute("aria-current") === "true");
  expect(current.map((b) => b.getAttribute("aria-label"))).toEqual(["picture-8.jpg"]);
  await user.click(screen.getByRole("button", { name: "picture-9.jpg" }));
  expect(onSelect).toHaveBeenCalledWith(9);
});

it("says what came of each, and how far one is that is being enlarged", () => {
  const enlargements = [1, 2, 3].map((id) => aResult({ id, original_id: id === 3 ? 9 : 7 }));
  const jobs = [aJob({ original_id: 8, state: "running", progress: 0.4 }), aJob({ id: 2, original_id: 9 })];
  opened({ contents: contentsOf({ enlargements, jobs }) });
  expect(screen.getByRole("button", { name: "picture-7.jpg, 2 results" })).toBeVisible();
  expect(screen.getByRole("button", { name: "picture-9.jpg, 1 result" })).toBeVisible();
  const bars = screen.getAllByRole("progressbar");
  expect(bars.map((bar) => [bar.getAttribute("aria-label"), bar.getAttribute("aria-valuenow")])).toEqual([
    ["picture-8.jpg, enlarging", "40"],
  ]);
});

it("takes files, several at once, and shows them on their way", async () => {
  const { user, onAdd, container } = opened({ arriving: [{ key: 1, name: "kiln.tif", sent: 0.5 }] });
  expect(screen.getByRole("progressbar", { name: "kiln.tif, sent" })).toHaveAttribute("aria-valuenow", "50");
  const picker = container.querySelector<HTMLInputElement>('input[type="file"]')!;
  const click = vi.spyOn(picker, "click");
  await user.click(screen.getByRole("button", { name: "Add pictures" }));
  expect(click).toHaveBeenCalled();
  const files = ["a.jpg", "b.png"].map((name) => new File(["x"], name, { type: "image/png" }));
  await user.upload(picker, files);
  expect((onAdd.mock.lastCall![0] as File[]).map(({ name }) => name)).toEqual(["a.jpg", "b.png"]);
});
