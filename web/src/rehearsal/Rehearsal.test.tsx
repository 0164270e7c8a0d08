// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { WithKeys, anIntent, anOriginal, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { Rehearsal } from "./Rehearsal";

// Charts are drawn where pages are laid out.
vi.mock("@mui/x-charts/ScatterChart", () => ({ ScatterChart: () => <div data-testid="chart" /> }));

const row = (name: string, psnr: number, part: object = {}) => ({
  name,
  steps: { enlarge: { by: "learned", subject: name.toLowerCase(), grade: "draft", strength: 1 } },
  figures: { psnr, ssim: 0.9, sharpness: 0.8, screen: 2, drift: 0.2 },
  parts: 2,
  seconds_per_megapixel: 3,
  draws_screen: false,
  trouble: null,
  ...part,
});

const DONE = {
  began_at: "2026-11-28T20:00:00Z",
  is_put_back: false,
  factor: 2,
  parts: [1, 2].map((i) => ({ x: 256 * i, y: 0, width: 256, height: 256 })),
  parts_done: 2,
  finished: true,
  rows: [
    row("Treatment A", 30),
    row("Bicubic", 28),
    row("Everyday", 31),
    row("Fur", 29, { draws_screen: true }),
    row("Mine", 0, { figures: null, seconds_per_megapixel: null, trouble: "the model gave nothing" }),
  ],
};

beforeEach(() => {
  answer("GET", "/originals/*/rehearsal", () => DONE);
  answer("POST", "/originals/*/rehearsal", () => ({ ...DONE, finished: false, parts_done: 0 }));
  answer("DELETE", "/originals/*/rehearsal", () => null);
});

function opened() {
  const told = { onClose: vi.fn(), onTake: vi.fn() };
  return {
    ...show(
      <WithKeys>
        <Rehearsal original={anOriginal()} intent={anIntent()} {...told} />
      </WithKeys>,
    ),
    ...told,
  };
}

const sources = (name: RegExp) => screen.getAllByAltText(name).map((img) => img.getAttribute("src") ?? "");

describe("a rehearsal", () => {
  it("shows the figures of the last one, the nearest first, and warns of patterns and failures", async () => {
    opened();
    const rows = await screen.findAllByTestId("candidate");
    expect(rows.map((r) => within(r).getAllByRole("cell")[0]?.textContent?.replace("Take", ""))).toEqual([
      "Everyday",
      "Treatment A",
      "Fur",
      "Bicubic",
      "Mine",
    ]);
    expect(within(rows[2]!).getByTitle(/regular pattern/)).toHaveTextContent("2.0");
    expect(rows[4]).toHaveTextContent("the model gave nothing");
    expect(asked()).toEqual([]);
  });

  it("lays candidates beside the picture as it is, and takes them away again", async () => {
    const { user } = opened();
    const fur = (await screen.findAllByTestId("candidate"))[2]!;
    expect(sources(/^Part 1: As it is/)[0]).not.toContain("candidate");
    expect(sources(/^Part 1: Fur/)[0]).toContain("candidate=3");
    await user.click(within(fur).getByText("Fur"));
    expect(screen.queryByAltText(/Fur/)).toBeNull();
    await user.keyboard("2");
    expect(sources(/^Part 2: Everyday/)[0]).toContain("/rehearsal/1?");
    await user.click(screen.getByRole("button", { name: "Differences" }));
    expect(sources(/^Part 2: Everyday/)[0]).toContain("difference=true");
    expect(sources(/^Part 2: As it is/)[0]).not.toContain("difference");
  });

  it("begins by itself where there is none, with what is on the rail", async () => {
    answer("GET", "/originals/*/rehearsal", () => null);
    opened();
    await waitFor(() => expect(asked()).toHaveLength(1));
    expect(asked()[0]).toMatchObject({
      what: "POST /originals/7/rehearsal",
      body: { parts: 9, put_back: false, intent: {} },
    });
    expect(await screen.findByText(/figures get surer/)).toBeVisible();
  });

  it("is asked for anew with another factor and with the picture's own noise, and is stopped", async () => {
    answer("GET", "/originals/*/rehearsal", () => ({ ...DONE, finished: false }));
    const { user } = opened();
    await user.click(await screen.findByRole("button", { name: "4 times" }));
    await waitFor(() => expect(asked()[0]?.body).toMatchObject({ factor: 4 }));
    await user.click(screen.getByRole("switch"));
    await waitFor(() => expect(asked()[1]?.body).toMatchObject({ put_back: true }));
    await user.click(await screen.findByRole("button", { name: "Stop" }));
    await waitFor(() => expect(asked()[2]?.what).toBe("DELETE /originals/7/rehearsal"));
  });

  it("gives a candidate's way to the bench", async () => {
    const { user, onTake } = opened();
    const everyday = (await screen.findAllByTestId("candidate"))[0]!;
    await user.click(within(everyday).getByText("Take"));
    expect(onTake).toHaveBeenCalledWith(DONE.rows[2]?.steps.enlarge, "Everyday");
  });

  it("says why a picture cannot be rehearsed", async () => {
    answer("GET", "/originals/*/rehearsal", () => null);
    answer("POST", "/originals/*/rehearsal", () => new Refused(422, "the picture has 40 x 40 px: too small"));
    opened();
    expect(await screen.findByText(/40 x 40 px/)).toBeVisible();
  });
});
