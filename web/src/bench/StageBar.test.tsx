// @vitest-environment jsdom
import { fireEvent, renderHook, act, screen, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { show } from "../testing/render";
import { StageBar, ZoomChoice } from "./StageBar";
import { useViewSettings } from "./viewSettings";

const SETTINGS = { smooth: false, ground: "#777777", blinkMs: 700, eyeM: 0.6 };

function opened(given: Partial<Parameters<typeof StageBar>[0]> = {}) {
  const told = {
    onLayout: vi.fn(),
    onTimed: vi.fn(),
    onTurn: vi.fn(),
    onSpot: vi.fn(),
    spotsMenu: vi.fn(),
    onMap: vi.fn(),
    onRehearse: vi.fn(),
    onNavigator: vi.fn(),
    onSettings: vi.fn(),
    onAcross: vi.fn(),
    onFull: vi.fn(),
    onTones: vi.fn(),
  };
  const bar = (
    <StageBar
      layout="curtain"
      timed={false}
      zoom="the zoom"
      spots={[]}
      map={false}
      across={false}
      full={false}
      givesWay={false}
      navigator={true}
      settings={SETTINGS}
      {...told}
      {...given}
    />
  );
  return { ...show(bar), ...told };
}

describe("comparing", () => {
  it("is chosen by name, and never by nothing", async () => {
    const { user, onLayout } = opened();
    await user.click(screen.getByRole("button", { name: "6 candidates" }));
    await user.click(screen.getByRole("button", { name: "Curtain" }));
    expect(onLayout.mock.calls).toEqual([["six"]]);
  });

  it("by blinking can be timed, and swapped by hand", async () => {
    const { user, onTurn, onTimed } = opened({ layout: "blink" });
    await user.click(screen.getByRole("button", { name: "Swap" }));
    expect(onTurn).toHaveBeenCalled();
    await user.click(screen.getByRole("button", { name: "every 0.7 s" }));
    expect(onTimed).toHaveBeenCalledWith(true);
  });

  it("otherwise has nothing to time", () => {
    opened();
    expect(screen.queryByRole("button", { name: "Swap" })).not.toBeInTheDocument();
  });
});

describe("the zoom", () => {
  function zoom(zooms = [{ name: "as on paper", zoom: 0.31 }]) {
    const told = { onFit: vi.fn(), onZoom: vi.fn() };
    return { ...show(<ZoomChoice zoom={0.333} zooms={zooms} {...told} />), ...told };
  }

  it("is told in the print's pixels, and chosen in its own or the paper's", async () => {
    const { user, onZoom, onFit } = zoom();
    const choice = screen.getByRole("combobox", { name: "Zoom, 33 % of the print's pixels" });
    await user.click(choice);
    await user.click(await screen.findByRole("option", { name: "800 %" }));
    await user.click(choice);
    await user.click(await screen.findByRole("option", { name: "as on paper" }));
    await user.click(screen.getByRole("button", { name: "100 per cent" }));
    expect(onZoom.mock.calls).toEqual([[8], [0.31], [1]]);
    await user.click(screen.getByRole("button", { name: "Whole picture" }));
    expect(onFit).toHaveBeenCalled();
  });

  it("says what is missing before it can be that of the paper", async () => {
    const { user } = zoom([]);
    await user.click(screen.getByRole("combobox"));
    expect(await screen.findByRole("option", { name: /as on paper: a print size/ })).toHaveAttribute("aria-disabled");
  });
});

it("leads to every spot by its number", async () => {
  const spots = ["eyes", "grain of the bench"].map((name, i) => ({ name, x: i, y: i }));
  const { user, onSpot, spotsMenu } = opened({ spots });
  await user.click(screen.getByRole("button", { name: "Spot 2: grain of the bench" }));
  expect(onSpot).toHaveBeenCalledWith(1);
  await user.click(screen.getByRole("button", { name: "Spots" }));
  expect(spotsMenu).toHaveBeenCalledWith(expect.any(HTMLElement));
});

it("puts the departure map over the picture and says what is under the pointer", async () => {
  const { user, onMap } = opened({ map: true, readout: "departs by 1.2" });
  expect(screen.getByTestId("readout")).toHaveTextContent("departs by 1.2");
  await user.click(screen.getByRole("button", { name: "Departure map", pressed: true }));
  expect(onMap).toHaveBeenCalledWith(false);
});

describe("the view's own settings", () => {
  async function view() {
    const bar = opened();
    await bar.user.click(screen.getByRole("button", { name: "View" }));
    return { ...bar, panel: within(await screen.findByRole("dialog", { name: "View" })) };
  }

  it("are the ground, how pixels are magnified, and the navigator", async () => {
    const { user, panel, onSettings, onNavigator } = await view();
    expect(panel.getByRole("button", { name: "Ground: middle grey" })).toHaveAttribute("aria-pressed", "true");
    await user.click(panel.getByRole("button", { name: "Ground: white" }));
    await user.click(panel.getByRole("button", { name: "smoothed (bilinear)" }));
    await user.click(panel.getByRole("button", { name: "shown" }));
    expect(onSettings.mock.calls).toEqual([[{ ground: "#FFFFFF" }], [{ smooth: true }]]);
    expect(onNavigator).toHaveBeenCalledWith(false);
  });

  it("measure the screen with a card of 85.6 mm", async () => {
    const { panel, onSettings } = await view();
    expect(panel.getByText("Not measured yet")).toBeVisible();
    fireEvent.change(panel.getByRole("slider", { name: "Length of a bank card on this screen" }), {
      target: { value: 337 },
    });
    const { screenPpi } = onSettings.mock.lastCall![0] as { screenPpi: number };
    expect(screenPpi).toBeCloseTo((337 / 85.6) * 25.4, 5);
  });
});

describe("what is kept of them", () => {
  beforeEach(() => localStorage.clear());

  it("is what was changed; the rest stays as usual", () => {
    const first = renderHook(() => useViewSettings());
    expect(first.result.current[0]).toEqual(SETTINGS);
    act(() => first.result.current[1]({ blinkMs: 400 }));
    expect(renderHook(() => useViewSettings()).result.current[0]).toEqual({ ...SETTINGS, blinkMs: 400 });
  });
});
