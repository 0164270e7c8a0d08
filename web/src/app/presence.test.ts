// @vitest-environment jsdom
import { expect, it, vi } from "vitest";
import { tellPresence } from "./presence";

it("a hand at work is told of, a few times a second and no more, until nobody listens", () => {
  vi.useFakeTimers();
  const told = vi.fn();
  const end = tellPresence(told);
  const move = () => window.dispatchEvent(new Event("pointermove"));
  for (let i = 0; i < 60; i++) {
    move();
    vi.advanceTimersByTime(20);
  }
  expect(told).toHaveBeenCalledTimes(2);
  vi.advanceTimersByTime(600);
  window.dispatchEvent(new Event("keydown"));
  expect(told).toHaveBeenCalledTimes(3);
  end();
  vi.advanceTimersByTime(600);
  move();
  expect(told).toHaveBeenCalledTimes(3);
  vi.useRealTimers();
});
