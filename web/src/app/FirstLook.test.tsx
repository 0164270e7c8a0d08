// @vitest-environment jsdom
import { act, render, screen } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { AfterFirstLook, FirstLook, useEndsFirstLook } from "./FirstLook";

function Picture({ there }: { there: boolean }) {
  useEndsFirstLook(there);
  return null;
}

const page = (awaited: boolean, there: boolean) => (
  <FirstLook awaited={awaited}>
    <Picture there={there} />
    <AfterFirstLook height={44}>
      <p>what stands around it</p>
    </AfterFirstLook>
  </FirstLook>
);

const around = () => screen.queryByText("what stands around it");

describe("the first look", () => {
  beforeEach(() => void vi.useFakeTimers());
  afterEach(() => void vi.useRealTimers());

  it("ends with the picture's first pixels", () => {
    const { rerender } = render(page(true, false));
    expect(around()).toBeNull();
    rerender(page(true, true));
    expect(around()).not.toBeNull();
  });

  it("ends without them after a while", () => {
    render(page(true, false));
    act(() => void vi.advanceTimersByTime(1500));
    expect(around()).not.toBeNull();
  });

  it("is none where no picture is awaited, or nobody speaks of one", () => {
    const { unmount } = render(page(false, false));
    expect(around()).not.toBeNull();
    unmount();
    render(<AfterFirstLook width={96}>what stands around it</AfterFirstLook>);
    expect(around()).not.toBeNull();
  });
});
