// @vitest-environment jsdom
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Hand, type Table } from "./hand";

/** A table that writes down what it is told, and has no tool at hand. */
function table() {
  const told: string[] = [];
  const at = (p: readonly number[]) => p.map(Math.round).join(" ");
  const it: Table = {
    pan: (dx, dy) => told.push(`pan ${dx} ${dy}`),
    closer: (times, p) => told.push(`closer ${times.toFixed(2)} ${at(p)}`),
    twice: (p) => told.push(`twice ${at(p)}`),
    begin: () => false,
    work: (p) => told.push(`work ${at(p)}`),
    end: () => told.push("end"),
    pointer: () => undefined,
    rests: (long) => told.push(long ? "rests" : "moves on"),
  };
  return { told, it };
}

describe("a hand", () => {
  let canvas: HTMLCanvasElement;
  const send = (type: string, x: number, y: number, finger = 1, pointerType = "touch") =>
    canvas.dispatchEvent(
      Object.assign(new MouseEvent(type, { clientX: x, clientY: y, cancelable: true }), {
        pointerId: finger,
        pointerType,
      }),
    );

  beforeEach(() => {
    vi.useFakeTimers();
    canvas = document.createElement("canvas");
    canvas.setPointerCapture = () => undefined;
  });
  afterEach(() => vi.useRealTimers());

  it("moves the picture with one finger, and not from then on", () => {
    const { told, it } = table();
    new Hand(canvas, it);
    send("pointerdown", 10, 10);
    send("pointermove", 30, 15);
    send("pointerup", 30, 15);
    send("pointermove", 60, 60);
    expect(told).toEqual(["pan 20 5"]);
  });

  it("comes closer between two fingers", () => {
    const { told, it } = table();
    new Hand(canvas, it);
    send("pointerdown", 100, 50, 1);
    send("pointerdown", 140, 50, 2);
    send("pointermove", 180, 50, 2);
    expect(told).toEqual(["pan 20 0", "closer 2.00 140 50"]);
  });

  it("looks closer where a finger rests, trembling or not, until it is lifted", () => {
    const { told, it } = table();
    new Hand(canvas, it);
    send("pointerdown", 50, 50);
    send("pointermove", 53, 50);
    vi.advanceTimersByTime(600);
    send("pointermove", 90, 50);
    expect(told).toEqual(["pan 3 0", "rests"]);
    send("pointerup", 90, 50);
    expect(told.at(-1)).toBe("moves on");
  });

  it.each([
    ["a finger that wanders", "touch", 1],
    ["a mouse that is held", "mouse", 0],
  ])("does not look closer for %s", (_, kind, moves) => {
    const { told, it } = table();
    new Hand(canvas, it);
    send("pointerdown", 50, 50, 1, kind);
    if (moves) send("pointermove", 80, 50, 1, kind);
    vi.advanceTimersByTime(600);
    expect(told.filter((what) => !what.startsWith("pan"))).toEqual([]);
  });

  it("works with a tool instead of moving the picture", () => {
    const { told, it } = table();
    new Hand(canvas, { ...it, begin: () => true });
    send("pointerdown", 50, 50);
    vi.advanceTimersByTime(600);
    send("pointermove", 60, 50);
    send("pointerup", 60, 50);
    expect(told).toEqual(["work 60 50", "end"]);
  });
});
