/** Everything that can be done by a key or found by its name, as data. */

import { LAYOUTS } from "../stage/layout";
import type { Desk } from "./desk";

export interface Command {
  id: string;
  title: string;
  group: "Views" | "The picture in view" | "Comparing" | "Treatment" | "Order" | "Rehearsal" | "Looking through";
  /** Chords that call it until the person chooses others; see keymap.ts. */
  keys: string[];
  /** Does it, or undefined where it cannot be done now. */
  on: (desk: Desk) => (() => void) | undefined;
  /** What ends it when its key is let go, for what lasts while a key is held. */
  release?: (desk: Desk) => void;
}

const PAN = 80;
const FAR = 400;

const CARDS = ["Reading", "Frame", "Clean", "Enlarge", "Faces", "Finish", "Deliver", "Results"];

const LAYOUT_TITLES: Record<(typeof LAYOUTS)[number], string> = {
  curtain: "Compare under a curtain",
  side: "Compare side by side",
  blink: "Compare by blinking",
  four: "Compare four at once",
  six: "Compare six at once",
};

const pans = ([id, title, key, dx, dy]: [string, string, string, number, number]): Command[] => [
  {
    id: `pan-${id}`,
    title: `Move the picture ${title}`,
    group: "The picture in view",
    keys: [key],
    on: ({ stage }) => stage && (() => stage.pan(dx * PAN, dy * PAN)),
  },
  {
    id: `pan-far-${id}`,
    title: `Move the picture further ${title}`,
    group: "The picture in view",
    keys: [`Shift+${key}`],
    on: ({ stage }) => stage && (() => stage.pan(dx * FAR, dy * FAR)),
  },
];

/** One command for each number from 1 on. */
const nth = (count: number, command: (i: number) => Command): Command[] =>
  Array.from({ length: count }, (_, i) => command(i + 1));

export const COMMANDS: Command[] = [
  { id: "orders", title: "Orders", group: "Views", keys: [], on: ({ frame }) => frame && (() => frame.go("orders")) },
  { id: "bench", title: "Bench", group: "Views", keys: [], on: ({ frame }) => frame && (() => frame.go("bench")) },
  { id: "strip", title: "Test strip", group: "Views", keys: ["t"], on: ({ frame }) => frame && (() => frame.go("strip")) },
  { id: "runs", title: "Run sheet", group: "Views", keys: [], on: ({ frame }) => frame && (() => frame.go("runs")) },
  { id: "shelf", title: "Model shelf", group: "Views", keys: [], on: ({ frame }) => frame && (() => frame.go("shelf")) },
  { id: "settings", title: "Settings", group: "Views", keys: [], on: ({ frame }) => frame && (() => frame.go("settings")) },
  { id: "search", title: "Find something to do by its name", group: "Views", keys: ["/"], on: ({ frame }) => frame?.search },
  { id: "keys", title: "This sheet of keys", group: "Views", keys: ["?"], on: ({ frame }) => frame?.showKeys },
  { id: "guide", title: "What is where, once more", group: "Views", keys: [], on: ({ frame }) => frame?.showGuide },
  { id: "guide-book", title: "The guide, in the order of the work", group: "Views", keys: [], on: ({ frame }) => frame?.openGuide },
  { id: "messages", title: "All messages so far", group: "Views", keys: [], on: ({ frame }) => frame?.showMessages },
  { id: "theme", title: "Dim or light the room", group: "Views", keys: [], on: ({ frame }) => frame?.changeTheme },

  { id: "new-order", title: "Open a new order", group: "Order", keys: [], on: ({ frame }) => frame?.newOrder },
  { id: "add-pictures", title: "Add pictures to the order", group: "Order", keys: [], on: ({ frame }) => frame?.addPictures },
  { id: "next-picture", title: "The next picture of the order", group: "Order", keys: ["PageDown"], on: ({ frame: f }) => f?.step && (() => f.step?.(1)) },
  { id: "previous-picture", title: "The picture before", group: "Order", keys: ["PageUp"], on: ({ frame: f }) => f?.step && (() => f.step?.(-1)) },

  { id: "undo", title: "Undo what was asked for", group: "Treatment", keys: ["Ctrl+z"], on: ({ bench }) => bench?.undo },
  { id: "redo", title: "Redo", group: "Treatment", keys: ["Ctrl+Shift+z", "Ctrl+y"], on: ({ bench }) => bench?.redo },
  { id: "run", title: "Run this picture", group: "Treatment", keys: ["Ctrl+Enter"], on: ({ bench }) => bench?.run },
  { id: "previous-treatment", title: "The treatment before", group: "Treatment", keys: ["["], on: ({ bench }) => bench && (() => bench.stepTreatment(-1)) },
  { id: "next-treatment", title: "The treatment after", group: "Treatment", keys: ["]"], on: ({ bench }) => bench && (() => bench.stepTreatment(1)) },
  { id: "add-treatment", title: "Another treatment to compare with", group: "Treatment", keys: [], on: ({ bench }) => bench?.addTreatment },
  { id: "areas", title: "Areas with settings of their own", group: "Treatment", keys: ["a"], on: ({ bench }) => bench?.toggleAreas },
  { id: "rehearse", title: "Rehearse: shrink the picture and enlarge it by every method", group: "Treatment", keys: ["r"], on: ({ bench }) => bench?.rehearse },
  { id: "trace", title: "Trace an emblem or lettering as shapes: in Enlarge", group: "Treatment", keys: [], on: ({ bench }) => bench && (() => bench.openCard("Enlarge")) },
  ...CARDS.map((card): Command => ({ id: `card-${card.toLowerCase()}`, title: `${card}: open its controls`, group: "Treatment", keys: [], on: ({ bench }) => bench && (() => bench.openCard(card)) })),

  { id: "whole", title: "The whole picture", group: "The picture in view", keys: ["f"], on: ({ stage }) => stage?.fit },
  { id: "hundred", title: "One pixel of the print for one of the screen", group: "The picture in view", keys: ["p"], on: ({ stage }) => stage && (() => stage.zoomTo(1)) },
  { id: "closer", title: "Closer; the wheel does it at the pointer", group: "The picture in view", keys: ["+", "="], on: ({ stage }) => stage && (() => stage.zoomBy(1.25)) },
  { id: "further", title: "Further away", group: "The picture in view", keys: ["-"], on: ({ stage }) => stage && (() => stage.zoomBy(0.8)) },
  ...([["left", "to the left", "ArrowLeft", 1, 0], ["right", "to the right", "ArrowRight", -1, 0], ["up", "up", "ArrowUp", 0, 1], ["down", "down", "ArrowDown", 0, -1]] as [string, string, string, number, number][]).flatMap(pans),
  ...nth(8, (i) => ({ id: `spot-${i}`, title: `Go to spot ${i}`, group: "The picture in view", keys: [`${i}`], on: ({ stage }) => (stage && i <= stage.spots ? () => stage.goToSpot(i - 1) : undefined) })),
  { id: "pin", title: "Pin a spot in the middle of the view", group: "The picture in view", keys: ["s"], on: ({ stage }) => stage?.pin },
  { id: "navigator", title: "Show or put away the navigator", group: "The picture in view", keys: ["n"], on: ({ stage }) => stage?.toggleNavigator },
  { id: "full", title: "The stage alone on the screen", group: "The picture in view", keys: ["x"], on: ({ stage }) => stage?.toggleFull },
  { id: "put-away", title: "Put away what lies open", group: "Views", keys: ["Escape"], on: ({ stage, bench }) => stage?.leaveFull ?? bench?.closeCard },

  { id: "next-comparison", title: "The next way of comparing", group: "Comparing", keys: ["v"], on: ({ stage }) => stage?.nextLayout },
  ...LAYOUTS.map((layout): Command => ({ id: `compare-${layout}`, title: LAYOUT_TITLES[layout], group: "Comparing", keys: [], on: ({ stage }) => stage && (() => stage.setLayout(layout)) })),
  { id: "blink", title: "Blink: one candidate, then the other, in the same place", group: "Comparing", keys: ["b"], on: ({ stage }) => stage?.blink },
  { id: "curtain-back", title: "Move the curtain back", group: "Comparing", keys: [","], on: ({ stage }) => stage && (() => stage.moveCurtain(-0.02)) },
  { id: "curtain-on", title: "Move the curtain on", group: "Comparing", keys: ["."], on: ({ stage }) => stage && (() => stage.moveCurtain(0.02)) },
  { id: "turn-curtain", title: "Turn the curtain: upright or lying across", group: "Comparing", keys: ["u"], on: ({ stage }) => stage?.turnCurtain },
  { id: "only", title: "While held: the first pane's candidate everywhere", group: "Comparing", keys: ["o"], on: ({ stage }) => stage && (() => stage.only(0)), release: ({ stage }) => stage?.only(undefined) },
  { id: "loupe", title: "While held: original and result side by side at the pointer", group: "Comparing", keys: ["l"], on: ({ stage }) => stage && (() => stage.loupe(true)), release: ({ stage }) => stage?.loupe(false) },
  { id: "tones", title: "Tones of original and result, with what is clipped", group: "Comparing", keys: ["h"], on: ({ stage, bench }) => stage && bench && (() => bench.openCard("Tones")) },
  { id: "difference", title: "By how much the second candidate differs from the first, amplified", group: "Comparing", keys: ["d"], on: ({ stage }) => stage?.toggleDifference },
  { id: "map", title: "The departure map", group: "Comparing", keys: ["m"], on: ({ stage }) => stage?.toggleMap },

  ...nth(9, (i) => ({ id: `part-${i}`, title: `Look at part ${i}`, group: "Rehearsal", keys: [`${i}`], on: ({ rehearsal: r }) => (r && i <= r.parts ? () => r.goTo(i - 1) : undefined) })),
  { id: "next-part", title: "The next part", group: "Rehearsal", keys: ["ArrowRight"], on: ({ rehearsal: r }) => r && (() => r.step(1)) },
  { id: "previous-part", title: "The part before", group: "Rehearsal", keys: ["ArrowLeft"], on: ({ rehearsal: r }) => r && (() => r.step(-1)) },

  { id: "accept", title: "Accept the result", group: "Looking through", keys: ["a", "Enter"], on: ({ look }) => look?.accept },
  { id: "send-back", title: "Send it back, with what is wrong", group: "Looking through", keys: ["b"], on: ({ look }) => look?.sendBack },
  { id: "next-result", title: "The next result", group: "Looking through", keys: ["ArrowRight"], on: ({ look }) => look && (() => look.step(1)) },
  { id: "previous-result", title: "The result before", group: "Looking through", keys: ["ArrowLeft"], on: ({ look }) => look && (() => look.step(-1)) },
  { id: "next-spot", title: "The next spot", group: "Looking through", keys: ["ArrowDown"], on: ({ look }) => look && (() => look.stepSpot(1)) },
  { id: "previous-spot", title: "The spot before", group: "Looking through", keys: ["ArrowUp"], on: ({ look }) => look && (() => look.stepSpot(-1)) },
  ...nth(8, (i) => ({ id: `its-spot-${i}`, title: `Look at spot ${i}`, group: "Looking through", keys: [`${i}`], on: ({ look }) => (look && i <= look.spots ? () => look.goToSpot(i - 1) : undefined) })),
]; // prettier-ignore

/** A view that has keys of its own: what lies over everything, or everything. */
export type Within = "page" | "rehearsal" | "look";

/** Where a command's keys are pressed. */
export const within = ({ group }: Command): Within =>
  group === "Rehearsal" ? "rehearsal" : group === "Looking through" ? "look" : "page";

/** What lies on top. */
export const topmost = (now: Desk): Within => (now.look ? "look" : now.rehearsal ? "rehearsal" : "page");

/** Commands that can be called now. */
export const available = (now: Desk) =>
  COMMANDS.filter((command) => within(command) === topmost(now) && command.on(now));

/** Those whose titles hold every word of `text`, in any order. */
export function matching(commands: Command[], text: string): Command[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  return commands.filter(({ title, group }) => words.every((word) => `${title} ${group}`.toLowerCase().includes(word)));
}
