/**
 * Which key calls which command.
 *
 * A chord is written "Ctrl+Shift+z": modifiers in this order, then the key as browsers name it, letters small. Shift counts only
 * with letters, and with keys that print nothing: "?" is "?" on every keyboard, however it is reached.
 */

import { useEffect } from "react";
import { create } from "zustand";
import { COMMANDS, type Command, type Within, topmost, within } from "./commands";
import { desk } from "./desk";
import { keep, recall } from "./kept";

type Pressed = Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "altKey" | "shiftKey">;

const MODIFIERS = ["Control", "Shift", "Alt", "Meta", "AltGraph"];

/** The chord that a key press is; nothing for a modifier alone. */
export function chordOf(e: Pressed): string | undefined {
  if (MODIFIERS.includes(e.key)) return undefined;
  const prints = e.key.length === 1;
  const letter = /^\p{L}$/u.test(e.key);
  const shift = e.shiftKey && (!prints || letter);
  const parts = [(e.ctrlKey || e.metaKey) && "Ctrl", e.altKey && "Alt", shift && "Shift"].filter(Boolean);
  return [...parts, letter ? e.key.toLowerCase() : e.key].join("+");
}

const NAMES: Record<string, string> = {
  ArrowLeft: "←",
  ArrowRight: "→",
  ArrowUp: "↑",
  ArrowDown: "↓",
  PageUp: "Page up",
  PageDown: "Page down",
  "-": "−",
};

/** A chord as people read it. */
export function chordName(chord: string): string {
  const at = chord.length < 2 ? -1 : chord.lastIndexOf("+", chord.length - 2);
  const [before, key] = at < 0 ? ["", chord] : [chord.slice(0, at), chord.slice(at + 1)];
  const name = NAMES[key] ?? (key.length === 1 ? key.toUpperCase() : key);
  return [...before.split("+").filter(Boolean), name].join(" ");
}

/** Chords that a person gave to commands, by the commands' ids. */
export type OwnKeys = Record<string, string[]>;

interface KeyMap {
  own: OwnKeys;
  /** Gives a chord to a command, and takes it from the one that had it. */
  give: (id: string, chord: string) => void;
  /** Back to the keys that a command came with. */
  restore: (id: string) => void;
  restoreAll: () => void;
}

/** The chords of a command. */
export const keysOf = (own: OwnKeys, command: Command): string[] => own[command.id] ?? command.keys;

/** Tells which key calls a command now, as people read it. */
export function useKeyName(): (id: string) => string {
  const own = useKeyMap((map) => map.own);
  return (id) => {
    const command = COMMANDS.find((c) => c.id === id);
    const [chord] = command ? keysOf(own, command) : [];
    return chord === undefined ? "no key" : chordName(chord);
  };
}

/** The command that a chord calls there. */
export function commandOf(own: OwnKeys, chord: string, where: Within): Command | undefined {
  return COMMANDS.find((command) => within(command) === where && keysOf(own, command).includes(chord));
}

export function given(own: OwnKeys, id: string, chord: string): OwnKeys {
  const command = COMMANDS.find((c) => c.id === id);
  const before = command && commandOf(own, chord, within(command));
  const without = before && before.id !== id && { [before.id]: keysOf(own, before).filter((key) => key !== chord) };
  return { ...own, ...without, [id]: [chord] };
}

const KEPT = "own-keys";

export const useKeyMap = create<KeyMap>((set) => {
  const change = (next: (own: OwnKeys) => OwnKeys) =>
    set(({ own }) => {
      const changed = next(own);
      keep(KEPT, changed);
      return { own: changed };
    });
  return {
    own: recall<OwnKeys>(KEPT) ?? {},
    give: (id, chord) => change((own) => given(own, id, chord)),
    restore: (id) => change((own) => Object.fromEntries(Object.entries(own).filter(([key]) => key !== id))),
    restoreAll: () => change(() => ({})),
  };
});

const TYPED = /^(text|search|number|password|email|url|tel|date|time|datetime-local|month|week|color|file)$/;

/** Whether a key pressed at `target` belongs to the field or the button that is there. */
export function isTyped(target: EventTarget | null, key: string): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (/^(Enter| )$/.test(key) && target.closest("button, a, [role=button]")) return true;
  if (target.isContentEditable || /^(TEXTAREA|SELECT)$/.test(target.tagName)) return true;
  if (target.getAttribute("role") === "combobox") return true;
  if (target instanceof HTMLInputElement) {
    if (TYPED.test(target.type)) return true;
    // A slider is moved by arrows, and by nothing else that commands use.
    return target.type === "range" && /^(Arrow|Page|Home|End)/.test(key);
  }
  return false;
}

/** What lies over the page and takes all keys: a list that is open, or a dialog that waits for an answer. */
const OVER_THE_PAGE = "[role=menu], [role=listbox], [aria-modal=true], .MuiDialog-root, .MuiPopover-root";

/** What marks a view that lies over the page and has commands of its own. */
export const WHOLE_SCREEN = "data-whole-screen";

/** Whether a key pressed at `target` calls no command: it belongs to a field, or to what lies over the page. */
export function isTaken(target: EventTarget | null, key: string): boolean {
  const over = target instanceof HTMLElement ? target.closest(OVER_THE_PAGE) : null;
  return (over !== null && over.closest(`[${WHOLE_SCREEN}]`) === null) || isTyped(target, key);
}

/** Calls commands by their keys, for as long as the component that calls it is shown. */
export function useCommandKeys(): void {
  useEffect(() => {
    const held = new Map<string, Command>();
    const pressed = (e: KeyboardEvent) => {
      const chord = chordOf(e);
      if (!chord || e.defaultPrevented || isTaken(e.target, e.key)) return;
      const command = commandOf(useKeyMap.getState().own, chord, topmost(desk.getState()));
      const act = command?.on(desk.getState());
      if (!command || !act) return;
      e.preventDefault();
      if (command.release) {
        if (held.has(e.key)) return;
        held.set(e.key, command);
      }
      act();
    };
    const release = (keys: string[]) => {
      for (const key of keys) held.get(key)?.release?.(desk.getState());
      for (const key of keys) held.delete(key);
    };
    const letGo = (e: KeyboardEvent) => release([e.key]);
    const away = () => release([...held.keys()]);
    window.addEventListener("keydown", pressed);
    window.addEventListener("keyup", letGo);
    window.addEventListener("blur", away);
    return () => {
      window.removeEventListener("keydown", pressed);
      window.removeEventListener("keyup", letGo);
      window.removeEventListener("blur", away);
    };
  }, []);
}
