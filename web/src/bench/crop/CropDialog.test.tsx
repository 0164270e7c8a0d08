// @vitest-environment jsdom
import { fireEvent, screen } from "@testing-library/react";
import { beforeAll, describe, expect, it, vi } from "vitest";
import type { Frame, Target } from "../../api/client";
import { anOriginal, show } from "../../testing/render";
import { PLAIN_FRAME } from "../intent";
import { CropDialog } from "./CropDialog";

// A page that is not laid out captures no pointer.
beforeAll(() => {
  Element.prototype.setPointerCapture = () => undefined;
});

const SQUARE: Target = { by: "print", paper: { width: 30, height: 30, unit: "cm" }, ppi: 254 };

/** Over a picture of 1200 x 800. */
function opened(frame: Partial<Frame> = {}, target: Target = { by: "factor", factor: 2 }) {
  const told = { onClose: vi.fn(), onDone: vi.fn<(frame: Frame) => void>() };
  const original = anOriginal();
  const shown = show(<CropDialog original={original} frame={{ ...PLAIN_FRAME, ...frame }} target={target} {...told} />);
  const crop = async () => {
    await shown.user.click(screen.getByRole("button", { name: "Crop" }));
    return told.onDone.mock.lastCall?.[0];
  };
  return { ...shown, ...told, crop };
}

const rectangle = () => screen.getByTestId("crop-rect");

describe("proportions", () => {
  it("are those of the print at first", async () => {
    const { crop } = opened({}, SQUARE);
    expect(screen.getByRole("button", { name: "The print's, 30 × 30" })).toHaveAttribute("aria-pressed", "true");
    expect((await crop())?.crop).toEqual({ x: 200, y: 0, width: 800, height: 800 });
  });

  it("lie as the picture does, whichever way the paper was given", async () => {
    const upright: Target = { by: "print", paper: { width: 30, height: 40, unit: "cm" }, ppi: 254 };
    expect((await opened({}, upright).crop())?.crop).toEqual({ x: 67, y: 0, width: 1066, height: 800 });
  });

  it("are free where no print is asked for, and the whole picture is no crop", async () => {
    const { crop } = opened();
    expect(screen.getByRole("button", { name: "The print's" })).toBeDisabled();
    expect(await crop()).toEqual({ ...PLAIN_FRAME, crop: null });
  });

  it("are those of the turned picture after a quarter turn", async () => {
    const { user, crop } = opened({ quarter_turns: 1 });
    await user.click(screen.getByRole("button", { name: "The picture's" }));
    fireEvent.keyDown(rectangle(), { key: "ArrowUp", altKey: true, shiftKey: true });
    const { width, height } = (await crop())?.crop ?? { width: 0, height: 1 };
    expect(width).toBeLessThan(800);
    expect(width / height).toBeCloseTo(800 / 1200, 2);
  });
});

describe("the rectangle", () => {
  // 1200 px are shown on 690 px of the screen, 800 on 460.
  const SCALE = 460 / 800;
  const frame = { crop: { x: 100, y: 100, width: 400, height: 300 } };

  it("starts as it was left", async () => {
    expect((await opened(frame).crop())?.crop).toEqual(frame.crop);
  });

  it("is dragged with the pointer", async () => {
    const { crop } = opened(frame);
    fireEvent.pointerDown(rectangle(), { pointerId: 1, clientX: 0, clientY: 0 });
    fireEvent.pointerMove(rectangle(), { pointerId: 1, clientX: 100 * SCALE, clientY: 40 * SCALE });
    fireEvent.pointerUp(rectangle(), { pointerId: 1 });
    fireEvent.pointerMove(rectangle(), { pointerId: 1, clientX: 300, clientY: 300 });
    const moved = (await crop())?.crop;
    expect(moved).toEqual({ x: 200, y: 140, width: 400, height: 300 });
  });

  it("is made larger at a corner", async () => {
    const { crop } = opened(frame);
    const corner = rectangle().querySelector('[data-across="1"][data-down="1"]')!;
    fireEvent.pointerDown(corner, { pointerId: 1, clientX: 0, clientY: 0 });
    fireEvent.pointerMove(corner, { pointerId: 1, clientX: 60 * SCALE, clientY: 0 });
    expect((await crop())?.crop).toMatchObject({ x: 100, y: 100, width: 460, height: 300 });
  });

  it("is moved with the arrow keys, and with Shift further", async () => {
    const { crop } = opened(frame);
    fireEvent.keyDown(rectangle(), { key: "ArrowRight" });
    fireEvent.keyDown(rectangle(), { key: "ArrowDown", shiftKey: true });
    fireEvent.keyDown(rectangle(), { key: "Enter" });
    const moved = (await crop())?.crop;
    expect(moved).toMatchObject({ x: 104, y: 135 });
  });

  it("shrinks when the picture is straightened, until no empty corner is left", async () => {
    const { crop } = opened();
    fireEvent.change(screen.getByRole("slider", { name: "Straighten" }), { target: { value: 5 } });
    const done = await crop();
    expect(done?.degrees).toBe(5);
    expect(done?.crop?.width).toBeLessThan(1100);
    expect(done?.crop?.width).toBeGreaterThan(900);
  });
});

it("goes back to the whole picture, which keeps its turns", async () => {
  const { user, onDone } = opened({ crop: { x: 1, y: 2, width: 30, height: 40 }, degrees: 3, quarter_turns: 1 });
  await user.click(screen.getByRole("button", { name: "Whole picture" }));
  expect(onDone).toHaveBeenCalledWith({ ...PLAIN_FRAME, quarter_turns: 1 });
});

it("leaves everything as it was when it is cancelled", async () => {
  const { user, onClose, onDone } = opened();
  await user.click(screen.getByRole("button", { name: "Cancel" }));
  expect(onClose).toHaveBeenCalled();
  expect(onDone).not.toHaveBeenCalled();
});
