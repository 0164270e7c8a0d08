// @vitest-environment jsdom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { useState } from "react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Plan, Intent } from "../api/client";
import { IDENTITY } from "../stage/affine";
import { aPlan, anIntent, anOriginal, show } from "../testing/render";
import { Refused, answer, asked } from "../testing/server";
import { Strip } from "./Strip";

const SPOTS = [
  { name: "furnace mouth", x: 300, y: 200 },
  { name: "rope", x: 900, y: 700 },
];
const steps = (strength: number) => ({ enlarge: { by: "learned", subject: "everyday", grade: "draft", strength } });
const PLAN = aPlan({
  place: IDENTITY,
  plain: { nearest: "n0", bicubic: "b0", lanczos3: "l0" },
  treatment: "a0",
  description: "Everyday",
  alternatives: [{ letter: "B", treatment: "b1", description: "Lettering" }],
} as never as Partial<Plan>);
const TWO = anIntent({ ...steps(1), letter: "A", alternatives: [{ letter: "B", ...steps(0.4) }] } as Partial<Intent>);

// A page that is not laid out never changes its size, and pictures in it are never loaded: these are at once.
class NoResize {
  observe() {}
  disconnect() {}
}
class AtOnce {
  complete = true;
  onload: (() => void) | null = null;
  set src(_: string) {
    queueMicrotask(() => this.onload?.());
  }
}

beforeEach(() => {
  vi.stubGlobal("ResizeObserver", NoResize);
  vi.stubGlobal("Image", AtOnce);
  vi.spyOn(Math, "random").mockReturnValue(0);
  HTMLElement.prototype.setPointerCapture = () => undefined;
  answer("GET", "/originals/7/spots", () => ({ spots: SPOTS, suggested: false }));
  answer("POST", "/originals/7/decisions", () => ({ id: 1 }));
  localStorage.clear();
});

function opened(start: Intent = TWO) {
  const said = vi.fn<(text: string) => void>();
  function Room() {
    const [intent, setIntent] = useState(start);
    const control = { intent, change: (part: Partial<Intent>) => setIntent({ ...intent, ...part }) } as never;
    return (
      <Strip original={anOriginal()} intent={intent} plan={PLAN} control={control} onSay={said} onBench={vi.fn()} />
    );
  }
  return { ...show(<Room />), said };
}

const heads = () => screen.getAllByRole("columnheader").map((h) => h.textContent?.trim()).slice(1); // prettier-ignore
const decisions = () => asked().filter(({ what }) => what.endsWith("/decisions")).map(({ body }) => body); // prettier-ignore

describe("the strip", () => {
  it("shows every treatment and the reference at every spot, each at the same place", async () => {
    opened();
    expect(await screen.findByAltText("rope, treatment B")).toBeInTheDocument();
    expect(screen.getAllByRole("img")).toHaveLength(6);
    const place = (alt: string) => screen.getByAltText(alt).getAttribute("src")?.split("?")[1];
    expect(place("rope, treatment A")).toBe(place("rope, the reference"));
    expect(place("rope, treatment A")).not.toBe(place("furnace mouth, treatment A"));
    expect(screen.getByAltText("rope, treatment B")).toHaveAttribute("src", expect.stringContaining("/crops/0f/b1?"));
  });

  it("shows more of the picture at a smaller scale", async () => {
    const { user } = opened();
    const width = () => Number(new URLSearchParams(screen.getByAltText("rope, treatment A").getAttribute("src")?.split("?")[1]).get("width")); // prettier-ignore
    await screen.findByAltText("rope, treatment A");
    const before = width();
    await user.click(screen.getByRole("button", { name: "50 %" }));
    await waitFor(() => expect(width()).toBeGreaterThan(1.9 * before));
  });

  it("says how to get something to compare with", async () => {
    const { user } = opened(anIntent({ ...steps(1), alternatives: [] } as never));
    expect(screen.getByText(/There is one treatment so far/)).toBeVisible();
    expect(screen.getByRole("switch")).toBeDisabled();
    await user.click(screen.getByRole("button", { name: "Another treatment" }));
    expect(heads().some((h) => h?.startsWith("Treatment B"))).toBe(true);
  });

  it("shifts a spot in all columns by dragging one", async () => {
    answer("PUT", "/originals/7/spots", () => null);
    opened();
    const picture = await screen.findByAltText("furnace mouth, treatment A");
    const cell = picture.parentElement ?? picture;
    fireEvent.pointerDown(cell, { pointerId: 1, clientX: 100, clientY: 100 });
    fireEvent.pointerMove(cell, { pointerId: 1, clientX: 60, clientY: 120 });
    fireEvent.pointerUp(cell, { pointerId: 1, clientX: 60, clientY: 120 });
    await waitFor(() => expect(asked()).toHaveLength(1));
    // 40 px to the left at factor 4 and the print's own scale.
    expect(asked()[0]?.body).toEqual([{ name: "furnace mouth", x: 310, y: 195 }, SPOTS[1]]);
  });
});

describe("a choice", () => {
  it("is written down with its candidates and spots, and put on the rail", async () => {
    const { user } = opened();
    await user.click(await screen.findByRole("button", { name: "Choose Treatment B" }));
    expect(await screen.findByTestId("decision")).toHaveTextContent("Treatment B is chosen and is on the rail now");
    expect(decisions()).toEqual([expect.objectContaining({ chosen: "B", blind: false, spots: SPOTS })]);
    expect((decisions()[0] as { candidates: { letter: string }[] }).candidates.map((c) => c.letter)).toEqual([
      "A",
      "B",
    ]);
  });

  it("is made blind: without names, words and the reference, in another order", async () => {
    const { user } = opened();
    await screen.findByAltText("rope, treatment A");
    await user.click(screen.getByRole("switch"));
    expect(heads()).toEqual(["Candidate 1Choose", "Candidate 2Choose"]);
    expect(screen.queryByText("Everyday")).not.toBeInTheDocument();
    // Shuffled by nothing but noughts, B comes first.
    expect(await screen.findByAltText("rope, candidate 1")).toHaveAttribute("src", expect.stringContaining("/b1?"));
    await user.click(screen.getByRole("button", { name: "Choose Candidate 1" }));
    expect(await screen.findByTestId("decision")).toHaveTextContent("Treatment B was chosen blind");
    expect(decisions()).toEqual([expect.objectContaining({ chosen: "B", blind: true })]);
  });

  it("goes to all pictures of the subject", async () => {
    answer("POST", "/orders/3/apply", () => [{ id: 7 }, { id: 8 }, { id: 9 }]);
    const { user, said } = opened();
    await user.click(await screen.findByRole("button", { name: "Choose Treatment A" }));
    await user.click(await screen.findByRole("button", { name: /Use it for all pictures of this subject/ }));
    await waitFor(() => expect(said).toHaveBeenCalledWith("2 more pictures have treatment A now"));
  });

  it("that is refused is no choice", async () => {
    answer("POST", "/originals/7/decisions", () => new Refused(403, "A viewer cannot choose."));
    const { user, said } = opened();
    await user.click(await screen.findByRole("button", { name: "Choose Treatment B" }));
    await waitFor(() => expect(said).toHaveBeenCalledWith("A viewer cannot choose."));
    expect(screen.queryByTestId("decision")).not.toBeInTheDocument();
  });
});

it("a picture without spots says how to pin them", async () => {
  answer("GET", "/originals/7/spots", () => ({ spots: [], suggested: false }));
  opened();
  expect(within(screen.getByRole("region", { name: "Test strip" })).getByText(/pin some on the bench/)).toBeVisible();
});
