// @vitest-environment jsdom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { beforeAll, beforeEach, describe, expect, it, vi } from "vitest";
import type { Drawing, Drawn, Frame, Target } from "../../api/client";
import { anOriginal, show } from "../../testing/render";
import { Refused, answer, asked } from "../../testing/server";
import { PLAIN_FRAME } from "../intent";
import { CropDialog } from "./CropDialog";

// A page that is not laid out captures no pointer.
beforeAll(() => {
  Element.prototype.setPointerCapture = () => undefined;
});

const CROP = { x: 100, y: 100, width: 400, height: 300 };
const SQUARE: Target = { by: "print", paper: { width: 30, height: 30, unit: "cm" }, ppi: 254 };

const DRAWN: Drawn = {
  turned: { width: 1200, height: 800 },
  rect: CROP,
  shape: "free",
  crop: CROP,
  size: { width: 400, height: 300 },
};

// A server that leaves the rectangle as it is: the rules of drawing are tested where they stand.
beforeEach(() => answer("POST", "/originals/*/crop", () => DRAWN));

async function opened(frame: Partial<Frame> = {}, target: Target = { by: "factor", factor: 2 }) {
  const told = { onClose: vi.fn(), onDone: vi.fn<(frame: Frame) => void>() };
  const original = anOriginal();
  const shown = show(<CropDialog original={original} frame={{ ...PLAIN_FRAME, ...frame }} target={target} {...told} />);
  await screen.findByTestId("crop-rect");
  return { ...shown, ...told };
}

const rectangle = () => screen.getByTestId("crop-rect");
const drawings = () => asked().map(({ body }) => body as Drawing);
const lastChange = () => drawings().at(-1)?.change;

describe("the dialog", () => {
  it("begins with what the frame and the print say", async () => {
    await opened({ crop: CROP, degrees: 2 }, SQUARE);
    expect(drawings()).toEqual([
      { frame: { ...PLAIN_FRAME, crop: CROP, degrees: 2 }, target: SQUARE, change: { do: "begin" } },
    ]);
    expect(screen.getByRole("button", { name: "The print's, 30 × 30" })).toBeEnabled();
    expect(screen.getByText("400 × 300 px")).toBeVisible();
  });

  it("offers no print's proportions where no print is asked for", async () => {
    await opened();
    expect(screen.getByRole("button", { name: "The print's" })).toBeDisabled();
    expect(screen.getByRole("button", { name: "Free" })).toHaveAttribute("aria-pressed", "true");
  });

  it("asks for the largest rectangle of a chosen shape", async () => {
    const { user } = await opened();
    await user.click(screen.getByRole("button", { name: "The picture's" }));
    await waitFor(() =>
      expect(drawings().at(-1)).toMatchObject({ change: { do: "fill" }, shape: "picture", rect: CROP }),
    );
  });

  it("hands over the frame with the crop and how far it was straightened", async () => {
    const { user, onDone } = await opened({ quarter_turns: 1 });
    fireEvent.change(screen.getByRole("slider", { name: "Straighten" }), { target: { value: 5 } });
    await user.click(screen.getByRole("button", { name: "Crop" }));
    await waitFor(() => expect(onDone).toHaveBeenCalledOnce());
    expect(onDone.mock.lastCall?.[0]).toEqual({ ...PLAIN_FRAME, quarter_turns: 1, degrees: 5, crop: CROP });
    expect(lastChange()).toEqual({ do: "fit" });
  });

  it("says why a crop cannot be drawn, and keeps it", async () => {
    await opened();
    answer("POST", "/originals/*/crop", () => new Refused(422, "40 degrees: up to 15 can be straightened"));
    fireEvent.keyDown(rectangle(), { key: "ArrowRight" });
    expect(await screen.findByRole("alert")).toHaveTextContent("up to 15");
    expect(rectangle()).toBeVisible();
  });

  it("goes back to the whole picture, which keeps its turns", async () => {
    const { user, onDone } = await opened({ crop: CROP, degrees: 3, quarter_turns: 1 });
    await user.click(screen.getByRole("button", { name: "Whole picture" }));
    expect(onDone).toHaveBeenCalledWith({ ...PLAIN_FRAME, quarter_turns: 1 });
  });

  it("leaves everything as it was when it is cancelled", async () => {
    const { user, onClose, onDone } = await opened();
    await user.click(screen.getByRole("button", { name: "Cancel" }));
    expect(onClose).toHaveBeenCalled();
    expect(onDone).not.toHaveBeenCalled();
  });
});

describe("the rectangle", () => {
  // 1200 px are shown on 690 px of the screen, 800 on 460.
  const SCALE = 460 / 800;

  it("is dragged with the pointer until that is let go of", async () => {
    await opened();
    fireEvent.pointerDown(rectangle(), { pointerId: 1, clientX: 0, clientY: 0 });
    fireEvent.pointerMove(rectangle(), { pointerId: 1, clientX: 100 * SCALE, clientY: 40 * SCALE });
    fireEvent.pointerUp(rectangle(), { pointerId: 1 });
    fireEvent.pointerMove(rectangle(), { pointerId: 1, clientX: 300, clientY: 300 });
    await waitFor(() => expect(drawings()).toHaveLength(2));
    const { dx, dy, ...rest } = lastChange() as { dx: number; dy: number };
    expect([Math.round(dx), Math.round(dy)]).toEqual([100, 40]);
    expect(rest).toEqual({ do: "drag", across: 0, down: 0 });
  });

  it("is dragged at a corner", async () => {
    await opened();
    const corner = rectangle().querySelector('[data-across="1"][data-down="-1"]')!;
    fireEvent.pointerDown(corner, { pointerId: 1, clientX: 0, clientY: 0 });
    fireEvent.pointerMove(corner, { pointerId: 1, clientX: 60 * SCALE, clientY: 0 });
    await waitFor(() => expect(lastChange()).toMatchObject({ across: 1, down: -1, dy: 0 }));
  });

  it("is moved with the arrow keys, with Shift further, and with Alt made larger", async () => {
    await opened();
    fireEvent.keyDown(rectangle(), { key: "ArrowDown", shiftKey: true });
    await waitFor(() => expect(lastChange()).toMatchObject({ across: 0, down: 0, dx: 0, dy: 20 / SCALE }));
    fireEvent.keyDown(rectangle(), { key: "ArrowRight", altKey: true });
    fireEvent.keyDown(rectangle(), { key: "Enter" });
    await waitFor(() => expect(lastChange()).toMatchObject({ across: 1, down: 1, dx: 2 / SCALE, dy: 0 }));
  });
});
