// @vitest-environment jsdom
import { screen, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Reading } from "../../api/client";
import { anOriginal, show } from "../../testing/render";
import { answer } from "../../testing/server";
import { ReadingCard } from "./ReadingCard";

const level = [2, 2, 2, 2, 1, 1, 1, 1];
const reading = (part: Partial<Reading["reading"]> = {}): Reading => ({
  line: "noise 2.0, sharp",
  conclusion: ["Light noise, sigma 2.0.", "Shows fur or feathers."],
  reading: {
    noise: { level, sigma: 2, colour: 1, luminance: 2, hidden: false },
    softness: { sigma: 0.7, overshoot: 0.08, edges: 900 },
    detail: { usable: 0.66, size: { width: 66, height: 44 }, ends_abruptly: false },
    content: { flat: 0.5, texture: 0.2, lettering: 0, clipped_shadows: 0, clipped_highlights: 0, brightness: 0.5, faded_tone: false },
    ...part,
  },
}); // prettier-ignore

beforeEach(() => answer("GET", "/originals/8/faces", () => []));

async function opened(read: Reading, doubts?: string[]) {
  const { user } = show(
    <ReadingCard original={anOriginal({ id: 8 })} reading={read} doubts={doubts} onRemove={vi.fn()} />,
  );
  await user.click(screen.getByRole("button", { name: /^Reading/ }));
  return within(await screen.findByRole("dialog", { name: "Reading" }));
}

describe("the reading", () => {
  it("is told in sentences, with what the suggestion is unsure of", async () => {
    const card = await opened(reading(), ["whether it has noise cannot be told from its texture"]);
    expect(card.getByText("Shows fur or feathers.")).toBeVisible();
    expect(
      card.getByText("The suggestion is unsure: whether it has noise cannot be told from its texture."),
    ).toBeVisible();
  });

  it("is drawn: noise, an edge, and the spectrum where it was kept", async () => {
    const spectrum = { picture: [-20, -40, -60, -80], sharp: [-20, -38, -52, -60], noise: -70 };
    const card = await opened(reading({ detail: { ...reading().reading.detail, spectrum } }));
    expect(card.getByRole("img", { name: /^Noise from the shadows to the lights: 2/ })).toBeVisible();
    const drawn = card.getByRole("img", { name: "Detail goes up to 66 % of what its pixels can hold" });
    const path = drawn.querySelector(".measured")?.getAttribute("d") ?? "";
    const down = path
      .split(/[ML]/)
      .slice(1)
      .map((point) => Number(point.split(" ")[1]));
    expect(down).toHaveLength(3);
    expect([...down].sort((a, b) => a - b)).toEqual(down);
    expect(card.getByRole("img", { name: "Edges are spread over 0.7 px, over by 8 %" })).toBeVisible();
  });

  it("draws an edge over its end by as much as was measured", async () => {
    const card = await opened(reading());
    const path =
      card
        .getByRole("img", { name: /^Edges/ })
        .querySelector(".measured")
        ?.getAttribute("d") ?? "";
    const heights = [...path.matchAll(/ ([\d.-]+)/g)].map(([, y]) => (0.9 - Number(y) / 56) / 0.8);
    expect(Math.max(...heights)).toBeGreaterThan(1.06);
    expect(Math.max(...heights)).toBeLessThan(1.1);
  });

  it("leaves out what a picture is too small for", async () => {
    const card = await opened(reading({ softness: null }));
    expect(card.queryByRole("img", { name: /^Edges/ })).not.toBeInTheDocument();
    expect(card.queryByRole("img", { name: /^Detail/ })).not.toBeInTheDocument();
  });
});
