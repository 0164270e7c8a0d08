// @vitest-environment jsdom
import { fireEvent, screen } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it, vi } from "vitest";
import { show } from "../../testing/render";
import { type Blend, Blending } from "../blend";
import { Dial } from "./Dial";

function Grain(props: { start?: number; suggested?: number; said?: (value: number) => void }) {
  const [value, setValue] = useState(props.start ?? 0.3);
  return (
    <Dial
      label="Grain"
      effect="The share of brightness noise that goes."
      value={value}
      suggested={props.suggested}
      format={(v) => `${Math.round(v * 100)} %`}
      onChange={(next) => {
        setValue(next);
        props.said?.(next);
      }}
    />
  );
}

describe("a dial", () => {
  it("goes by its step, without the crumbs of adding up", async () => {
    const said = vi.fn();
    const { user } = show(<Grain said={said} />);
    await user.tab();
    expect(screen.getByRole("slider", { name: "Grain" })).toHaveFocus();
    await user.keyboard("{ArrowRight}{ArrowRight}");
    expect(said.mock.calls).toEqual([[0.35], [0.4]]);
    expect(screen.getByText("40 %")).toBeVisible();
  });

  it("returns to the suggestion on a double click", () => {
    const said = vi.fn();
    show(<Grain suggested={0.9} said={said} />);
    fireEvent.doubleClick(screen.getByRole("slider", { name: "Grain" }));
    expect(said).toHaveBeenLastCalledWith(0.9);
  });

  it("has nothing to return to where nothing is suggested", () => {
    const said = vi.fn();
    show(<Grain said={said} />);
    fireEvent.doubleClick(screen.getByRole("slider", { name: "Grain" }));
    expect(said).not.toHaveBeenCalled();
  });

  it("says its figure in words to those who listen", () => {
    show(<Grain start={0.65} />);
    expect(screen.getByRole("slider", { name: "Grain" })).toHaveAttribute("aria-valuetext", "65 %");
  });
});

describe("a dial that blends", () => {
  const strength = (value: number) => ({ finish: { edges: { strength: value } } }) as never;
  const shown = (value: number, offer: (blend: Blend | undefined) => void) => (
    <Blending value={offer}>
      <Dial
        label="Edge strength"
        effect="How much crisper edges become."
        value={value}
        max={3}
        knots={[0, 1, 3]}
        onChange={() => undefined}
        blend={strength}
      />
    </Blending>
  );

  it("offers the ends around its value while it has the focus, and takes them back", async () => {
    const offer = vi.fn<(blend: Blend | undefined) => void>();
    const { user, again } = show(shown(0.5, offer));
    expect(offer).not.toHaveBeenCalled();
    await user.tab();
    expect(offer).toHaveBeenLastCalledWith({ low: strength(0), high: strength(1), share: 0.5 });
    again(shown(2, offer));
    expect(offer).toHaveBeenLastCalledWith({ low: strength(1), high: strength(3), share: 0.5 });
    await user.tab();
    expect(offer).toHaveBeenLastCalledWith(undefined);
  });

  it("offers them while it is pointed at", async () => {
    const offer = vi.fn<(blend: Blend | undefined) => void>();
    const { user } = show(shown(1, offer));
    await user.hover(screen.getByText("Edge strength"));
    expect(offer).toHaveBeenLastCalledWith({ low: strength(0), high: strength(1), share: 1 });
  });
});

it("says while it is held, so that everything else can step back", () => {
  const held = vi.fn<(held: boolean) => void>();
  show(<Dial label="Grain" effect="" value={0.5} onChange={() => undefined} onHold={held} />);
  const slider = screen.getByRole("slider", { name: "Grain" });
  fireEvent.pointerDown(slider);
  expect(document.documentElement.dataset["hand"]).toBe("held");
  expect(slider.closest("[data-held]")).not.toBeNull();
  // Let go without having moved it, and beside it.
  fireEvent.pointerUp(window);
  expect(document.documentElement.dataset["hand"]).toBeUndefined();
  expect(held.mock.calls).toEqual([[true], [false]]);
});
