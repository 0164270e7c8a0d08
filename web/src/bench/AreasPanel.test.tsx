// @vitest-environment jsdom
import { fireEvent, renderHook, screen, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Affine, Area, Mask, Steps, Intent } from "../api/client";
import { anIntent, show } from "../testing/render";
import { Brush, Line, Pick } from "../stage/tools";
import { rules } from "../api/rules";
import { AreasPanel, FIRST_BRUSH, emptyMask, useAreaTool } from "./Areas";
import type { Scope } from "./treatments";

const SIZE = { width: 400, height: 200 };
const STEPS = { clean: { noise: null }, enlarge: { by: "plain", kernel: "bicubic" } } as unknown as Steps;

const area = (name: string, mask: Mask = emptyMask("painted", SIZE)): Area => ({ name, mask, steps: STEPS });

function opened(areas: Area[], scope: Scope, given: Partial<Parameters<typeof AreasPanel>[0]> = {}) {
  const told = {
    onScope: vi.fn(),
    change: vi.fn(),
    onDrawing: vi.fn(),
    onShown: vi.fn(),
    onBrush: vi.fn(),
    onClose: vi.fn(),
  };
  const intent = anIntent({ areas, ...STEPS } as Partial<Intent>);
  const shown = show(
    <AreasPanel
      intent={intent}
      size={SIZE}
      scope={scope}
      drawing={false}
      shown={true}
      brush={FIRST_BRUSH}
      {...told}
      {...given}
    />,
  );
  return { ...shown, ...told };
}

describe("a new area", () => {
  it("is drawn at once, seen, and starts with the whole picture's steps", async () => {
    const { user, change, onScope, onDrawing, onShown } = opened([area("Area 1")], "whole");
    await user.click(screen.getByRole("button", { name: "Gradient" }));
    const { areas } = change.mock.lastCall![0] as { areas: Area[] };
    expect(areas.map(({ name }) => name)).toEqual(["Area 1", "Area 2"]);
    expect(areas[1]).toMatchObject({
      mask: { by: "gradient", from: { x: 200, y: 70 }, to: { x: 200, y: 120 }, inverted: false },
      steps: { clean: { noise: null }, enlarge: { by: "plain", kernel: "bicubic" } },
    });
    expect(onScope).toHaveBeenCalledWith(1);
    expect(onDrawing).toHaveBeenCalledWith(true);
    expect(onShown).toHaveBeenCalledWith(true);
  });

  it("is offered where half of the picture shows something else, until it is taken", async () => {
    const ground = area("foliage or ground, below", emptyMask("gradient", SIZE));
    const { user, change, onScope, onShown, unmount } = opened([area("Area 1")], "whole", { offered: [ground] });
    await user.click(screen.getByRole("button", { name: "foliage or ground, below" }));
    expect((change.mock.lastCall![0] as { areas: Area[] }).areas).toEqual([area("Area 1"), ground]);
    expect(onScope).toHaveBeenCalledWith(1);
    expect(onShown).toHaveBeenCalledWith(true);
    unmount();
    opened([ground], "whole", { offered: [ground] });
    expect(screen.queryByText(/shows something else than the rest/)).not.toBeInTheDocument();
  });

  it("takes no name that is taken", async () => {
    const { user, change } = opened([area("Area 2")], "whole");
    await user.click(screen.getByRole("button", { name: "By tone" }));
    expect((change.mock.lastCall![0] as { areas: Area[] }).areas[1]?.name).toBe("Area 3");
  });

  it("is not offered when there are as many as there may be", () => {
    opened(
      Array.from({ length: rules().most_areas }, (_, i) => area(`Area ${i + 1}`)),
      "whole",
    );
    for (const kind of ["Paint", "Gradient", "By tone", "By colour"]) {
      expect(screen.getByRole("button", { name: kind })).toBeDisabled();
    }
  });
});

describe("an area", () => {
  it("is chosen from the list, which says what is inverted", async () => {
    const inverted = { ...emptyMask("tone", SIZE), inverted: true };
    const { user, onScope } = opened([area("Sky"), area("Ground", inverted)], "whole");
    const list = within(screen.getByRole("group", { name: "Settings are for" }));
    expect(list.getAllByRole("button").map((b) => b.textContent)).toEqual(["Whole picture", "Sky", "Ground, inverted"]);
    await user.click(list.getByRole("button", { name: "Ground, inverted" }));
    expect(onScope).toHaveBeenCalledWith(1);
  });

  it("is named anew, but never without a name", async () => {
    const { user, change } = opened([area("Area 1")], 0);
    const name = screen.getByRole("textbox", { name: "Name" });
    await user.clear(name);
    await user.tab();
    expect(change).not.toHaveBeenCalled();
    await user.type(name, "  Sky ");
    await user.tab();
    expect(change).toHaveBeenCalledWith({ areas: [area("Sky")] });
  });

  it("is removed, and the settings are the whole picture's again", async () => {
    const { user, change, onScope, onDrawing } = opened([area("Sky"), area("Ground")], 0);
    await user.click(screen.getByRole("button", { name: "Remove Sky" }));
    expect(onScope).toHaveBeenCalledWith("whole");
    expect(onDrawing).toHaveBeenCalledWith(false);
    expect(change).toHaveBeenCalledWith({ areas: [area("Ground")] });
  });

  it("is turned inside out", async () => {
    const { user, change } = opened([area("Sky")], 0);
    await user.click(screen.getByRole("switch", { name: "Invert" }));
    expect(change).toHaveBeenCalledWith({ areas: [area("Sky", { ...emptyMask("painted", SIZE), inverted: true })] });
  });

  it("that is painted has a brush, and gives back its last stroke", async () => {
    const stroke = (x: number) => ({ points: [{ x, y: 1 }], radius: 4, feather: 0.5, erases: false });
    const painted: Mask = { by: "painted", strokes: [stroke(1), stroke(2)], inverted: false };
    const { user, change, onBrush } = opened([area("Sky", painted)], 0);
    await user.click(screen.getByRole("button", { name: "Take back the last stroke" }));
    expect(change).toHaveBeenCalledWith({ areas: [area("Sky", { ...painted, strokes: [stroke(1)] })] });
    await user.click(screen.getByRole("switch", { name: "Erase" }));
    expect(onBrush).toHaveBeenLastCalledWith({ ...FIRST_BRUSH, erases: true });
    fireEvent.change(screen.getByRole("slider", { name: "Feather" }), { target: { value: 0.25 } });
    expect(onBrush).toHaveBeenLastCalledWith({ ...FIRST_BRUSH, feather: 0.25 });
    expect(screen.queryByRole("slider", { name: "Reach" })).not.toBeInTheDocument();
  });

  it("without a stroke has none to give back", () => {
    opened([area("Sky")], 0);
    expect(screen.getByRole("button", { name: "Take back the last stroke" })).toBeDisabled();
  });

  it("by colour has a reach and no brush", () => {
    const { change } = opened([area("Glass", emptyMask("colour", SIZE))], 0);
    expect(screen.queryByRole("slider", { name: "Brush" })).not.toBeInTheDocument();
    expect(screen.getByRole("switch", { name: "Point" })).toBeInTheDocument();
    fireEvent.change(screen.getByRole("slider", { name: "Reach" }), { target: { value: 0.5 } });
    const { areas } = change.mock.lastCall![0] as { areas: Area[] };
    expect(areas[0]?.mask).toMatchObject({ by: "colour", reach: 30 });
  });
});

describe("the tool", () => {
  // The stage shows the original at twice its size.
  const place: Affine = { xx: 2, xy: 0, yx: 0, yy: 2, x0: 10, y0: 0 };
  const tool = (of: Area | undefined, at: Affine | undefined, onDrawn: (mask: Mask) => void) =>
    renderHook(() => useAreaTool(of, FIRST_BRUSH, at, SIZE, onDrawn)).result.current;

  it("is that of the area's kind", () => {
    const kinds = [
      ["painted", Brush],
      ["gradient", Line],
      ["tone", Pick],
      ["colour", Pick],
    ] as const;
    for (const [kind, sort] of kinds) {
      expect(tool(area("a", emptyMask(kind, SIZE)), place, vi.fn()), kind).toBeInstanceOf(sort);
    }
  });

  it("draws on the original, wherever that lies on the stage", () => {
    const onDrawn = vi.fn();
    const pick = tool(area("Glass", emptyMask("tone", SIZE)), place, onDrawn)!;
    pick.start({ x: 110, y: 60 });
    pick.end();
    expect(onDrawn).toHaveBeenCalledWith({ by: "tone", at: { x: 50, y: 30 }, reach: 12, inverted: false });
  });

  it("is none while nothing is drawn on, or nothing is on the stage", () => {
    expect(tool(undefined, place, vi.fn())).toBeUndefined();
    expect(tool(area("a"), undefined, vi.fn())).toBeUndefined();
  });
});
