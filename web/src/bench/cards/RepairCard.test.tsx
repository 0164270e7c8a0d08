// @vitest-environment jsdom
import { screen, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Fade, Halftone, Repair, Suggestion, Wear } from "../../api/client";
import { show } from "../../testing/render";
import { NOTHING_REPAIRED } from "../intent";
import { BRUSHES, HAIR } from "../brush";
import { marked, unmarked } from "../marking";
import { RepairCard } from "./RepairCard";

const model = (name: string) => ({ model: name, sha256: "00" });
const WEAR: Wear = { finder: model("finder"), filler: model("filler"), specks: true, lines: true, breaks: true, sensitivity: 0.5 }; // prettier-ignore
const FADE: Fade = { black: [0.2, 0.15, 0.1], white: [0.9, 0.85, 0.8], gamma: [1, 1, 1], strength: 0.8 };

const HALFTONE: Halftone = { waves: [{ across: 0.2, down: 0.2 }], strength: 1 };

const NOTHING = NOTHING_REPAIRED;

const told = (usual: object) =>
  ({ recipe: {}, reasons: [{ step: "repair", text: "it looks like an old print" }], usual }) as unknown as Suggestion;

async function opened(repair: Repair, suggestion?: Suggestion, marking?: "worn" | "sound") {
  const onChange = vi.fn<(repair: Repair) => void>();
  const size = { width: 1500, height: 1000 };
  const hand = { marking, onMarking: vi.fn(), onShown: vi.fn(), radius: HAIR, onRadius: vi.fn(), size };
  const shown = show(<RepairCard words="" repair={repair} suggestion={suggestion} onChange={onChange} hand={hand} />);
  await shown.user.click(screen.getByRole("button", { name: /^Repair/ }));
  return { ...shown, onChange, hand, card: within(await screen.findByRole("dialog", { name: "Repair" })) };
}

describe("the repair card", () => {
  it("has a brush as wide as the hand asks for, while it marks", async () => {
    const idle = await opened({ ...NOTHING, wear: WEAR }, told({ wear: WEAR, fade: FADE }));
    expect(idle.card.queryByRole("slider", { name: "Brush" })).toBeNull();
    idle.unmount();
    const { card, user, hand } = await opened({ ...NOTHING, wear: WEAR }, told({ wear: WEAR, fade: FADE }), "worn");
    const brush = card.getByRole("slider", { name: "Brush" });
    expect(card.getByText("12 px")).toBeVisible();
    brush.focus();
    await user.keyboard("{End}");
    expect(hand.onRadius).toHaveBeenLastCalledWith(BRUSHES.most);
  });

  it("waits for what the server says, and begins with that", async () => {
    const waits = await opened(NOTHING);
    expect(waits.card.getByRole("switch", { name: "Dust and scratches" })).toBeDisabled();
    waits.unmount();
    const without = await opened(NOTHING, told({ wear: null, fade: FADE }));
    expect(without.card.getByText("There is no model for this on the shelf yet.")).toBeVisible();
    without.unmount();
    const ready = await opened(NOTHING, told({ wear: WEAR, fade: FADE }));
    expect(ready.card.getByText("it looks like an old print")).toBeVisible();
    await ready.user.click(ready.card.getByRole("switch", { name: "Dust and scratches" }));
    expect(ready.onChange).toHaveBeenLastCalledWith({ ...NOTHING, wear: WEAR });
    await ready.user.click(ready.card.getByRole("switch", { name: "Faded tone" }));
    expect(ready.onChange).toHaveBeenLastCalledWith({ ...NOTHING, fade: FADE });
  });

  it("takes out dots where there are some", async () => {
    const without = await opened(NOTHING, told({ wear: null, fade: FADE }));
    expect(without.card.getByRole("switch", { name: "Halftone" })).toBeDisabled();
    expect(without.card.getByText("No dots of a print were found in this picture.")).toBeVisible();
    without.unmount();
    const printed = await opened(NOTHING, told({ wear: null, fade: FADE, halftone: HALFTONE }));
    await printed.user.click(printed.card.getByRole("switch", { name: "Halftone" }));
    expect(printed.onChange).toHaveBeenLastCalledWith({ ...NOTHING, halftone: HALFTONE });
    printed.unmount();
    const { card, user, onChange } = await opened({ ...NOTHING, halftone: HALFTONE }, told({ fade: FADE }));
    card.getByRole("slider", { name: "Taken out" }).focus();
    await user.keyboard("{ArrowLeft}");
    expect(onChange.mock.lastCall?.[0].halftone).toEqual({ ...HALFTONE, strength: 0.95 });
    await user.click(card.getByRole("switch", { name: "Halftone" }));
    expect(onChange).toHaveBeenLastCalledWith({ ...NOTHING, halftone: null });
  });

  it("has a switch for each kind, and takes up a brush", async () => {
    const { card, user, onChange, hand } = await opened({ ...NOTHING, wear: WEAR }, told({ wear: WEAR, fade: FADE }));
    await user.click(card.getByRole("switch", { name: "Lines" }));
    expect(onChange.mock.lastCall?.[0].wear?.lines).toBe(false);
    await user.click(card.getByRole("button", { name: "Mark as sound" }));
    expect(hand.onMarking).toHaveBeenLastCalledWith("sound");
    expect(card.queryByRole("button", { name: "Take back the last stroke" })).not.toBeInTheDocument();
  });

  it("moves the three colours alike, and says what is left of them", async () => {
    const { card, user, onChange } = await opened({ ...NOTHING, fade: FADE }, told({ wear: WEAR, fade: FADE }));
    expect(card.getByRole("img", { name: /red from 20 % to 90 %, green from 15 % to 85 %/ })).toBeVisible();
    card.getByRole("slider", { name: "Black is now" }).focus();
    await user.keyboard("{ArrowRight}");
    const black = onChange.mock.lastCall?.[0].fade?.black ?? [];
    expect(black.map((v, i) => Number((v - (FADE.black[i] ?? 0)).toFixed(3)))).toEqual([0.01, 0.01, 0.01]);
  });
});

describe("marks by hand", () => {
  const points = [{ x: 3, y: 4 }];

  it("are strokes on the original, one after the other, and can be taken back", () => {
    const once = marked({ ...NOTHING, wear: WEAR, fade: FADE }, points, 5, false);
    const twice = marked(once, points, 5, true);
    expect(twice?.wear?.strokes?.map((s) => s.erases)).toEqual([false, true]);
    expect(twice?.fade).toBe(FADE);
    expect(unmarked(twice ?? NOTHING).wear?.strokes).toHaveLength(1);
  });

  it("need a repair that is on", () => {
    expect(marked({ ...NOTHING, fade: FADE }, points, 5, false)).toBeUndefined();
    expect(marked({ ...NOTHING, wear: WEAR }, [], 5, false)).toBeUndefined();
  });
});
