// @vitest-environment jsdom
import { fireEvent, renderHook } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { COMMANDS, available, matching, within } from "./commands";
import { type LookDesk, type StageDesk, desk } from "./desk";
import { chordName, chordOf, commandOf, given, isTaken, keysOf, useCommandKeys, useKeyMap } from "./keymap";

const pressed = (key: string, part: Partial<KeyboardEvent> = {}) =>
  ({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...part }) as KeyboardEvent;

afterEach(() => {
  document.body.innerHTML = "";
  desk.setState({ frame: undefined, bench: undefined, stage: undefined, rehearsal: undefined, look: undefined });
  useKeyMap.getState().restoreAll();
});

describe("a chord", () => {
  it.each([
    [pressed("f"), "f"],
    [pressed("F", { shiftKey: true }), "Shift+f"],
    [pressed("?", { shiftKey: true }), "?"],
    [pressed("+", { shiftKey: true }), "+"],
    [pressed("Z", { shiftKey: true, ctrlKey: true }), "Ctrl+Shift+z"],
    [pressed("z", { metaKey: true }), "Ctrl+z"],
    [pressed("ArrowLeft", { shiftKey: true }), "Shift+ArrowLeft"],
    [pressed("ä", { altKey: true }), "Alt+ä"],
    [pressed("Control", { ctrlKey: true }), undefined],
  ])("%# is what is pressed", (event, chord) => expect(chordOf(event)).toBe(chord));

  it.each([
    ["Ctrl+Shift+z", "Ctrl Shift Z"],
    ["+", "+"],
    ["Ctrl++", "Ctrl +"],
    ["-", "−"],
    ["ArrowUp", "↑"],
  ])("%s is read as %s", (chord, name) => expect(chordName(chord)).toBe(name));
});

describe("commands", () => {
  it("each have an id and keys of their own", () => {
    const ids = COMMANDS.map((c) => c.id);
    expect(new Set(ids).size).toBe(ids.length);
    for (const where of ["page", "rehearsal", "look"]) {
      const keys = COMMANDS.filter((c) => within(c) === where).flatMap((c) => c.keys);
      expect(new Set(keys).size).toBe(keys.length);
    }
  });

  it("are found by words of their titles, and offered only where they can be done", () => {
    expect(matching(COMMANDS, "picture whole").map((c) => c.id)).toEqual(["whole"]);
    expect(available({})).toEqual([]);
    const spots = available({ stage: { spots: 2 } as StageDesk }).filter((c) => c.id.startsWith("spot-"));
    expect(spots.map((c) => c.id)).toEqual(["spot-1", "spot-2"]);
  });
});

describe("another key", () => {
  it("is taken from the command that had it", () => {
    const own = given({}, "whole", "b");
    expect(commandOf(own, "b", "page")?.id).toBe("whole");
    expect(commandOf(own, "f", "page")).toBeUndefined();
    const blink = COMMANDS.find((c) => c.id === "blink")!;
    expect(keysOf(own, blink)).toEqual([]);
  });

  it("leaves a command its other keys", () => {
    const own = given({}, "pin", "Ctrl+y");
    expect(
      keysOf(
        own,
        COMMANDS.find((c) => c.id === "redo")!,
      ),
    ).toEqual(["Ctrl+Shift+z"]);
  });

  it("outlasts the page until it is given back", () => {
    useKeyMap.getState().give("whole", "w");
    expect(JSON.parse(localStorage.getItem("dettaglio.own-keys") ?? "null")).toEqual({ whole: ["w"] });
    useKeyMap.getState().restore("whole");
    expect(useKeyMap.getState().own).toEqual({});
  });
});

describe("a key that is pressed", () => {
  const element = (html: string) => {
    document.body.innerHTML = html;
    return document.body.querySelector<HTMLElement>("#it")!;
  };

  it.each([
    ["<input id=it>", "f", true],
    ["<textarea id=it></textarea>", "f", true],
    ["<div role=combobox id=it></div>", "f", true],
    ["<div role=menu><li id=it></li></div>", "f", true],
    ["<input type=range id=it>", "f", false],
    ["<input type=range id=it>", "ArrowLeft", true],
    ["<input type=checkbox id=it>", "f", false],
    ["<button id=it></button>", "f", false],
    ["<div role=dialog><button id=it></button></div>", "f", false],
    ["<button id=it></button>", "Enter", true],
    ["<div class=MuiDialog-root><b id=it></b></div>", "a", true],
    ["<div class=MuiDialog-root data-whole-screen><b id=it></b></div>", "a", false],
  ])("on %s, %s belongs to it: %s", (html, key, taken) => expect(isTaken(element(html), key)).toBe(taken));

  it("calls its command, by its present key, and ends what lasts while it is held", () => {
    const stage = { spots: 0, fit: vi.fn(), only: vi.fn() };
    desk.setState({ stage: stage as unknown as StageDesk });
    renderHook(() => useCommandKeys());
    fireEvent.keyDown(window, { key: "f" });
    expect(stage.fit).toHaveBeenCalledTimes(1);
    fireEvent.keyDown(window, { key: "o" });
    fireEvent.keyDown(window, { key: "o" });
    fireEvent.keyUp(window, { key: "o" });
    expect(stage.only.mock.calls).toEqual([[0], [undefined]]);
    useKeyMap.getState().give("whole", "w");
    fireEvent.keyDown(window, { key: "f" });
    fireEvent.keyDown(window, { key: "w" });
    expect(stage.fit).toHaveBeenCalledTimes(2);
    // Left while a key is down, the window is not told when it is let go.
    fireEvent.keyDown(window, { key: "o" });
    fireEvent.blur(window);
    expect(stage.only).toHaveBeenLastCalledWith(undefined);
  });

  it("calls what lies on top, not what lies below", () => {
    const stage = { spots: 3, goToSpot: vi.fn(), pan: vi.fn() };
    const look = { spots: 2, goToSpot: vi.fn(), step: vi.fn() };
    desk.setState({ stage: stage as unknown as StageDesk, look: look as unknown as LookDesk });
    renderHook(() => useCommandKeys());
    for (const key of ["2", "3", "ArrowRight", "f"]) fireEvent.keyDown(window, { key });
    expect(look.goToSpot.mock.calls).toEqual([[1]]);
    expect(look.step.mock.calls).toEqual([[1]]);
    expect([stage.goToSpot, stage.pan].map((f) => f.mock.calls.length)).toEqual([0, 0]);
    expect(available(desk.getState()).map((c) => c.group)).not.toContain("Comparing");
  });

  it("may be the same elsewhere", () => {
    const own = given({}, "accept", "f");
    expect([commandOf(own, "f", "look")?.id, commandOf(own, "f", "page")?.id]).toEqual(["accept", "whole"]);
  });

  it("does nothing where its command cannot be done, or in a field", () => {
    const fit = vi.fn();
    renderHook(() => useCommandKeys());
    expect(fireEvent.keyDown(window, { key: "f" })).toBe(true);
    desk.setState({ stage: { spots: 0, fit } as unknown as StageDesk });
    fireEvent.keyDown(element("<input id=it>"), { key: "f", bubbles: true });
    expect(fit).not.toHaveBeenCalled();
  });
});
