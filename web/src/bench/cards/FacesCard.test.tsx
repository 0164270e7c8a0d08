// @vitest-environment jsdom
import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Model, Plan, PlannedFace, Suggestion, Intent } from "../../api/client";
import { aModel, aPlan, anIntent, show } from "../../testing/render";
import { answer } from "../../testing/server";
import { FacesCard, leftWords } from "./FacesCard";

const place = (x: number) => ({ left_eye: { x, y: 40 }, right_eye: { x: x + 30, y: 40 }, mouth: { x: x + 15, y: 75 } });
const found = (x: number, part: Partial<PlannedFace> = {}): PlannedFace =>
  ({
    face: place(x),
    eyes: 30,
    part: { x, y: 0, width: 80, height: 100 },
    restored: null,
    left: null,
    ...part,
  }) as never;

const RESTORER = aModel({ id: "faces", name: "Faces", kind: "face" });

async function opened(part: { intent?: Partial<Intent>; plan?: Plan; suggestion?: Suggestion; models?: Model[] }) {
  const change = vi.fn<(part: Partial<Intent>) => void>();
  const onDraw = vi.fn();
  const onGo = vi.fn();
  const shown = show(
    <FacesCard
      original={{ id: 7, hash: "0f" } as never}
      intent={anIntent(part.intent)}
      words=""
      models={part.models ?? [RESTORER]}
      plan={part.plan}
      suggestion={part.suggestion}
      change={change}
      shown={false}
      onShown={() => undefined}
      onDraw={onDraw}
      onGo={onGo}
    />,
  );
  await shown.user.click(screen.getByRole("button", { name: /^Faces/ }));
  return { ...shown, change, onDraw, onGo, card: within(await screen.findByRole("dialog", { name: "Faces" })) };
}

it("says why a face is left alone", () => {
  expect(leftWords("too_small", 18.2)).toContain("Only 18 px");
  expect(leftWords("large_enough", 140)).toContain("large enough");
  expect(leftWords("departs", 40, 11.25)).toMatch(/11\.[23] ΔE/);
});

describe("the card", () => {
  it("cannot be switched on where there is no face, and says what to do", async () => {
    const { card } = await opened({ plan: aPlan() });
    expect(card.getByRole("switch", { name: "Restore faces" })).toBeDisabled();
    expect(card.getByText("No face was found. Draw one if you see one.")).toBeVisible();
  });

  it("cannot be switched on without a model for it", async () => {
    const { card } = await opened({ plan: aPlan({ faces: [found(0)] }), models: [] });
    expect(card.getByText("There is no model on the shelf that restores faces.")).toBeVisible();
  });

  it("is switched on as far as it is suggested", async () => {
    const suggestion = { recipe: { faces: { strength: 0.55 } }, reasons: [] } as unknown as Suggestion;
    const { card, user, change } = await opened({ plan: aPlan({ faces: [found(0)] }), suggestion });
    await user.click(card.getByRole("switch", { name: "Restore faces" }));
    expect(change).toHaveBeenCalledWith({ faces: { strength: 0.55 } });
  });

  it.each([
    [0.8, 0.8],
    [undefined, 0.5],
  ])("is switched on as far as the restorer's card says where nothing is suggested: %s", async (strength, due) => {
    const models = [aModel({ id: "faces", name: "Faces", kind: "face", strength })];
    const { card, user, change } = await opened({ plan: aPlan({ faces: [found(0)] }), models });
    await user.click(card.getByRole("switch", { name: "Restore faces" }));
    expect(change).toHaveBeenCalledWith({ faces: { strength: due } });
  });

  it("closes when a face is to be drawn on the picture", async () => {
    const { card, user, onDraw } = await opened({ plan: aPlan() });
    await user.click(card.getByRole("button", { name: "Draw a face" }));
    expect(onDraw).toHaveBeenCalled();
    await waitFor(() => expect(screen.queryByRole("dialog")).not.toBeInTheDocument());
  });
});

describe("a face of the card", () => {
  const intent = { faces: { strength: 0.7 } };
  const plan = aPlan({ unrestored: "bb22", faces: [found(0, { restored: 0 }), found(300, { restored: 1 })] });

  it("shows before and after, and how far it departs", async () => {
    answer("GET", "/faces/0f/aa11/*", () => ({ departure: 3.4, left: null }));
    const { card, user, onGo } = await opened({ intent, plan });
    const first = within(card.getByRole("group", { name: "Face 1" }));
    expect(await first.findByText(/95 % of it within 3\.4 ΔE/)).toBeVisible();
    expect(first.getByAltText("Face 1 without restoring")).toHaveAttribute("src", expect.stringContaining("/bb22?x=0"));
    expect(first.getByAltText("Face 1 restored")).toHaveAttribute("src", expect.stringContaining("/aa11?x=0"));
    await user.click(first.getByAltText("Face 1 restored"));
    expect(onGo).toHaveBeenCalledWith({ face: place(0), on: true });
  });

  it("has a switch and a strength of its own, which the others keep out of", async () => {
    const { card, user, change } = await opened({ intent, plan });
    await user.click(card.getByRole("switch", { name: "Face 2" }));
    const others = { face: place(0), on: true };
    expect(change).toHaveBeenLastCalledWith({ own_faces: [others, { face: place(300), on: false }] });
    fireEvent.change(card.getByRole("slider", { name: "Strength of face 2" }), { target: { value: 0.4 } });
    expect(change).toHaveBeenLastCalledWith({ own_faces: [others, { face: place(300), on: true, strength: 0.4 }] });
  });

  it("follows the strength of all of them again when it is put back", async () => {
    const own_faces = [{ face: place(0), on: true, strength: 0.2 }];
    const { card, change } = await opened({
      intent: { ...intent, own_faces },
      plan: aPlan({ faces: [found(0, { restored: 0 })] }),
    });
    fireEvent.doubleClick(card.getByRole("slider", { name: "Strength of face 1" }));
    expect(change).toHaveBeenLastCalledWith({ own_faces: [{ face: place(0), on: true, strength: null }] });
  });

  it("is dismissed, and all come back as they were found", async () => {
    const first = await opened({ intent, plan });
    await first.user.click(first.card.getByRole("button", { name: "Face 1 is no face" }));
    expect(first.change).toHaveBeenLastCalledWith({ own_faces: [{ face: place(300), on: true }] });
    first.unmount();
    const { card, user, change } = await opened({ intent: { ...intent, own_faces: [] }, plan: aPlan() });
    await user.click(card.getByRole("button", { name: "Back to those found" }));
    expect(change).toHaveBeenLastCalledWith({ own_faces: null });
  });

  it("is left to the general model where it would depart too far", async () => {
    answer("GET", "/faces/0f/aa11/*", () => ({ departure: 12.1, left: "departs" }));
    const { card } = await opened({ intent, plan: aPlan({ faces: [found(0, { restored: 0 })] }) });
    expect(await card.findByText(/12\.1 ΔE: left to the general model/)).toBeVisible();
    expect(card.getByRole("switch", { name: "Face 1" })).toBeDisabled();
    expect(card.queryByRole("slider", { name: "Strength of face 1" })).not.toBeInTheDocument();
  });

  it("outside the crop has no close-up", async () => {
    const { card } = await opened({ intent, plan: aPlan({ faces: [found(0, { part: null })] }) });
    expect(card.getByText("Outside the crop.")).toBeVisible();
    expect(card.queryByRole("img")).not.toBeInTheDocument();
  });
});
