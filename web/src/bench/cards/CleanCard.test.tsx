// @vitest-environment jsdom
import { fireEvent, screen, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Clean, Model, Reading, Suggestion } from "../../api/client";
import { aModel, show } from "../../testing/render";
import { CleanCard } from "./CleanCard";

const OFF = { noise: null, marks: null, softness: null } as Clean;
const NOISE = aModel({ id: "camera-noise-draft", name: "Camera noise", kind: "clean", level: "noise", sha256: "c0" });
const NIGHT = aModel({ id: "night", name: "Night", kind: "clean", level: "noise", sha256: "c1" });
const MARKS = aModel({ id: "compression-marks", name: "Compression marks", kind: "clean", level: "compression" });
const LEVEL = [2, 3, 4, 5, 5, 4, 3, 2];
const reading = {
  reading: { noise: { level: LEVEL }, jpeg_quality: 62, softness: { sigma: 3.5 } },
} as unknown as Reading;
const noisy: Clean = {
  ...OFF,
  noise: { model: { model: "night", sha256: "c1" }, level: LEVEL, grain: 0.9, speckle: 1, keep_texture: 0.1 },
};

/** What the server says that parts begin with. */
const suggested = (usual: object) => ({ recipe: { clean: OFF }, reasons: [], usual }) as unknown as Suggestion;

async function opened(part: { clean?: Clean; models?: Model[]; suggestion?: Suggestion }) {
  const onChange = vi.fn<(clean: Clean) => void>();
  const shown = show(
    <CleanCard
      clean={part.clean ?? OFF}
      words=""
      models={part.models ?? [NOISE, NIGHT, MARKS]}
      reading={reading}
      suggestion={part.suggestion}
      onChange={onChange}
    />,
  );
  await shown.user.click(screen.getByRole("button", { name: /^Clean/ }));
  return { ...shown, onChange, card: within(await screen.findByRole("dialog", { name: "Clean" })) };
}

describe("a part of the step", () => {
  it("is switched on as suggested", async () => {
    const noise = { ...noisy.noise, grain: 0.6 };
    const { card, user, onChange } = await opened({ suggestion: suggested({ noise }) });
    await user.click(card.getByRole("switch", { name: "Noise" }));
    expect(onChange).toHaveBeenCalledWith({ ...OFF, noise });
  });

  it("waits until the server has said what it begins with", async () => {
    const { card } = await opened({});
    expect(card.getByRole("switch", { name: "Noise" })).toBeDisabled();
    expect(card.getAllByText("The picture is being measured.")[0]).toBeVisible();
  });

  it("cannot be switched on without a model for it", async () => {
    const { card } = await opened({});
    expect(card.getByRole("switch", { name: "Softness" })).toBeDisabled();
    expect(card.getByText("There is no model for this on the shelf yet.")).toBeVisible();
  });

  it("is switched off alone", async () => {
    const { card, user, onChange } = await opened({ clean: noisy });
    await user.click(card.getByRole("switch", { name: "Noise" }));
    expect(onChange).toHaveBeenCalledWith(OFF);
  });
});

describe("the noise", () => {
  it("keeps the shape of its curve when its level is moved", async () => {
    const { card, onChange } = await opened({ clean: noisy });
    fireEvent.change(card.getByRole("slider", { name: "Noise level" }), { target: { value: 7 } });
    expect(onChange.mock.lastCall?.[0].noise?.level).toEqual(LEVEL.map((v) => v * 2));
  });

  it("is cleaned by another model on demand", async () => {
    const { card, user, onChange } = await opened({ clean: noisy });
    await user.click(card.getByRole("combobox", { name: "By" }));
    await user.click(await screen.findByRole("option", { name: "Camera noise, draft" }));
    expect(onChange.mock.lastCall?.[0].noise).toEqual({
      ...noisy.noise,
      model: { model: "camera-noise-draft", sha256: "c0" },
    });
  });
});

describe("the compression marks", () => {
  const fine = aModel({ id: "marks-fine", name: "Marks", kind: "clean", level: "compression", sha256: "c2" });
  const marked: Clean = {
    ...OFF,
    marks: { model: { model: "compression-marks", sha256: "c3" }, quality: 40, strength: 0.8 },
  };

  it("are taken out by another model on demand, as they were", async () => {
    const { card, user, onChange } = await opened({ clean: marked, models: [NOISE, MARKS, fine] });
    await user.click(card.getByRole("combobox", { name: "By" }));
    await user.click(await screen.findByRole("option", { name: fine.title }));
    expect(onChange.mock.lastCall?.[0].marks).toEqual({
      ...marked.marks,
      model: { model: "marks-fine", sha256: "c2" },
    });
  });

  it("leave no choice where there is one model", async () => {
    const { card } = await opened({ clean: marked });
    expect(card.queryByRole("combobox", { name: "By" })).toBeNull();
  });
});
