// @vitest-environment jsdom
import { screen, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Choice, Finish, Suggestion, Intent } from "../../api/client";
import { aModel, aPlan, aTrial, anIntent, anOriginal, show } from "../../testing/render";
import { DeliverCard } from "./DeliverCard";
import { EnlargeCard } from "./EnlargeCard";
import { FinishCard } from "./FinishCard";
import { FrameCard } from "./FrameCard";
import { PLAIN_FRAME } from "../intent";

const MODELS = [
  aModel({ id: "everyday-x4-draft", name: "Everyday x4", kind: "enlarge", subject: "everyday", factor: 4, weaknesses: [] }),
  aModel({ id: "everyday-x4-fine", name: "Everyday x4", kind: "enlarge", subject: "everyday", grade: "fine", factor: 4, purpose: "Any photograph.", weaknesses: ["no strong noise"] }),
  aModel({ id: "own", name: "Cloth by hand", kind: "enlarge", subject: "own-1", grade: "fine", factor: 2, trial: aTrial(), weaknesses: [] }),
  aModel({ id: "night", name: "Night", kind: "clean", level: "noise" }),
]; // prettier-ignore
const learned: Choice = { by: "learned", subject: "everyday", grade: "draft", strength: 0.8 };

async function card(name: string) {
  return within(await screen.findByRole("dialog", { name }));
}

describe("what enlarges", () => {
  it("is chosen by its family, and keeps its strength", async () => {
    const onChange = vi.fn();
    const { user } = show(
      <EnlargeCard original={anOriginal()} words="" choice={learned} models={MODELS} onChange={onChange} />,
    );
    await user.click(screen.getByRole("button", { name: /^Enlarge/ }));
    await user.click((await card("Enlarge")).getByRole("combobox", { name: "Enlarge with" }));
    const options = (await screen.findAllByRole("option")).map((o) => o.textContent);
    expect(options).toEqual(["Everyday, draft", "Everyday, fine", "Cloth by hand", "nearest, no model", "bicubic, no model", "Lanczos 3, no model", "Traced as shapes"]); // prettier-ignore
    await user.click(screen.getByRole("option", { name: "Everyday, fine" }));
    expect(onChange).toHaveBeenLastCalledWith({ ...learned, grade: "fine" });
  });

  it("may be shapes", async () => {
    const onChange = vi.fn();
    const { user } = show(
      <EnlargeCard original={anOriginal()} words="" choice={learned} models={MODELS} onChange={onChange} />,
    );
    await user.click(screen.getByRole("button", { name: /^Enlarge/ }));
    await user.click((await card("Enlarge")).getByRole("combobox", { name: "Enlarge with" }));
    await user.click(await screen.findByRole("option", { name: /^Traced/ }));
    expect(onChange).toHaveBeenLastCalledWith({ by: "traced" });
  });

  it("has a strength only where a model runs, and says what is known of it", async () => {
    const { user, again } = show(
      <EnlargeCard
        original={anOriginal()}
        words=""
        choice={{ ...learned, grade: "fine" }}
        models={MODELS}
        onChange={vi.fn()}
      />,
    );
    await user.click(screen.getByRole("button", { name: /^Enlarge/ }));
    const opened = await card("Enlarge");
    expect(opened.getByText("Any photograph. Known weaknesses: no strong noise.")).toBeVisible();
    expect(opened.getByRole("slider", { name: "Strength" })).toHaveValue("0.8");
    again(
      <EnlargeCard
        original={anOriginal()}
        words=""
        choice={{ by: "plain", kernel: "bicubic" }}
        models={MODELS}
        onChange={vi.fn()}
      />,
    );
    expect(opened.queryByRole("slider")).not.toBeInTheDocument();
  });
});

describe("the file that is made", () => {
  const output = { format: "tiff", depth: 16, quality: 92 } as Intent["output"];

  async function opened(part: Partial<Intent>, format = "JPEG") {
    const onChange = vi.fn();
    const onPattern = vi.fn();
    const intent = anIntent({ output, target: { by: "factor", factor: 4 }, ...part });
    const shown = show(
      <DeliverCard
        words="TIFF 16-bit"
        intent={intent}
        facts={{ format }}
        pattern="{name}"
        onPattern={onPattern}
        onChange={onChange}
      />,
    );
    await shown.user.click(screen.getByRole("button", { name: /^Deliver/ }));
    return { ...shown, onChange, onPattern, card: await card("Deliver") };
  }

  it("has 8 bits where its format has no more", async () => {
    const { card, user, onChange } = await opened({});
    await user.click(card.getByRole("button", { name: "JPEG" }));
    expect(onChange).toHaveBeenLastCalledWith({ ...output, format: "jpeg", depth: 8 });
    await user.click(card.getByRole("button", { name: "PNG" }));
    expect(onChange).toHaveBeenLastCalledWith({ ...output, format: "png" });
  });

  it("has a quality from 1 to 100", async () => {
    const { card, user, onChange } = await opened({ output: { ...output, format: "jpeg", depth: 8 } });
    const quality = card.getByRole("textbox", { name: "Quality, 1 to 100" });
    await user.clear(quality);
    await user.type(quality, "101");
    expect(onChange.mock.calls.map(([o]) => (o as Intent["output"]).quality)).toEqual([1, 10]);
    expect(card.queryByRole("group", { name: "Bits per channel" })).not.toBeInTheDocument();
  });

  it("is a raw file again where the original is one, and has no profile then", async () => {
    const finished = await opened({ output: { ...output, format: "png", depth: 8 } });
    expect(finished.card.queryByRole("button", { name: "DNG" })).not.toBeInTheDocument();
    finished.unmount();
    const raw = await opened({ output: { ...output, format: "png", depth: 8 } }, "Camera raw");
    await raw.user.click(raw.card.getByRole("button", { name: "DNG" }));
    expect(raw.onChange).toHaveBeenLastCalledWith({ ...output, format: "dng", depth: 16 });
    raw.unmount();
    const { card } = await opened({ output: { ...output, format: "dng" } }, "DNG");
    expect(card.queryByRole("combobox", { name: "Colour profile" })).not.toBeInTheDocument();
    expect(card.getByText(/white balance, exposure and profile stay open/)).toBeVisible();
  });

  it("goes in another profile, and says which resolution it states", async () => {
    const paper = { width: 60, height: 40, unit: "cm" as const };
    const { card, user, onChange } = await opened({ target: { by: "print", paper, ppi: 240 } });
    expect(card.getByText(/The file says 240 ppi\./)).toBeVisible();
    await user.click(card.getByRole("combobox", { name: "Colour profile" }));
    await user.click(await screen.findByRole("option", { name: "Display P3" }));
    expect(onChange).toHaveBeenLastCalledWith({ ...output, profile: "p3" });
  });
});

describe("the frame", () => {
  const frame = { mirrored: false, quarter_turns: 0, degrees: -0.8, crop: { x: 40, y: 30, width: 900, height: 600 } };

  async function opened(border?: { frame: typeof frame; writing: boolean }, own?: typeof frame) {
    const onFrame = vi.fn();
    const shown = show(
      <FrameCard
        original={anOriginal()}
        frame={own ?? PLAIN_FRAME}
        surround={{ kind: "none" }}
        words="whole picture"
        target={{ by: "factor", factor: 2 }}
        border={border}
        onFrame={onFrame}
        onSurround={vi.fn()}
      />,
    );
    await shown.user.click(screen.getByRole("button", { name: /^Frame/ }));
    return { ...shown, onFrame, card: await card("Frame") };
  }

  it("cuts paper off that lies around the picture, and offers it no more then", async () => {
    const { card, user, onFrame, unmount } = await opened({ frame, writing: true });
    expect(card.getByText(/something written on it; it is set straight by 0\.8°/)).toBeVisible();
    await user.click(card.getByRole("button", { name: "Cut the paper off" }));
    expect(onFrame).toHaveBeenCalledWith(frame);
    unmount();
    const cropped = await opened({ frame, writing: true }, frame);
    expect(cropped.card.queryByRole("button", { name: "Cut the paper off" })).not.toBeInTheDocument();
    cropped.unmount();
    expect((await opened()).card.queryByRole("button", { name: "Cut the paper off" })).not.toBeInTheDocument();
  });
});

describe("the finish", () => {
  const edges = { strength: 0.5, width: 1.2, halo_guard: 0.8, leave_flat: 0.8, leave_skin: 0 };

  async function opened(finish: Finish, faces = 0, suggestion?: Suggestion) {
    const onChange = vi.fn<(finish: Finish) => void>();
    const shown = show(
      <FinishCard
        finish={finish}
        words=""
        plan={aPlan()}
        suggestion={suggestion}
        faces={faces}
        onMask={vi.fn()}
        onChange={onChange}
      />,
    );
    await shown.user.click(screen.getByRole("button", { name: /^Finish/ }));
    return { ...shown, onChange, card: await card("Finish") };
  }

  it("says the width of an edge in pixels and on paper", async () => {
    const { card } = await opened({ edges, grain: null });
    expect(card.getByText("1.2 px, 0.12 mm")).toBeVisible();
  });

  const told = (usual: object) => ({ recipe: {}, reasons: [], usual }) as unknown as Suggestion;

  it("is switched on with what the server says", async () => {
    const waits = await opened({ edges: null, grain: null });
    expect(waits.card.getByRole("switch", { name: "Edges" })).toBeDisabled();
    waits.unmount();
    const ready = await opened({ edges: null, grain: null }, 0, told({ edges: { ...edges, strength: 0.7 } }));
    await ready.user.click(ready.card.getByRole("switch", { name: "Edges" }));
    expect(ready.onChange.mock.lastCall?.[0].edges?.strength).toBe(0.7);
  });

  it("spares skin only where there are faces", async () => {
    const without = await opened({ edges, grain: null });
    expect(without.card.queryByRole("slider", { name: "Leave skin" })).not.toBeInTheDocument();
    without.unmount();
    const { card, user, onChange } = await opened(
      { edges, grain: null },
      2,
      told({ portrait: { ...edges, leave_skin: 0.9 } }),
    );
    expect(card.getByRole("slider", { name: "Leave skin" })).toBeInTheDocument();
    await user.click(card.getByRole("button", { name: "Portrait finish" }));
    expect(onChange.mock.lastCall?.[0].edges?.leave_skin).toBeGreaterThan(0.5);
  });
});
