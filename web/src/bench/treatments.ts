/** Treatments of one picture side by side: their letters, their areas, and which of them the rail is about. */

import type { Area, Intent, Letter, Steps } from "../api/client";
import { rules } from "../api/rules";

/** What of a wish makes one treatment differ from another. */
export type Treated = Steps & { areas: Area[] };

export function stepsOf({ clean, enlarge, faces, finish }: Steps): Steps {
  return { clean, enlarge, faces, finish };
}

function treated(wish: Intent): Treated {
  return { ...stepsOf(wish), areas: wish.areas ?? [] };
}

/** All letters in use, in order. */
export function letters(wish: Intent): Letter[] {
  const used = [wish.letter ?? "A", ...(wish.alternatives ?? []).map((a) => a.letter)];
  return rules().letters.filter((letter) => used.includes(letter));
}

/** The treatment with a letter. */
export function treatmentOf(wish: Intent, letter: Letter): Treated | undefined {
  if (letter === (wish.letter ?? "A")) return treated(wish);
  const other = wish.alternatives?.find((a) => a.letter === letter);
  return other && { ...stepsOf(other), areas: other.areas ?? [] };
}

/** The rail turns to another treatment. */
export function switched(wish: Intent, letter: Letter): Partial<Intent> {
  const next = treatmentOf(wish, letter);
  const now = wish.letter ?? "A";
  if (!next || letter === now) return {};
  const others = (wish.alternatives ?? []).filter((a) => a.letter !== letter);
  return { ...next, letter, alternatives: [...others, { letter: now, ...treated(wish) }] };
}

/** A copy of the present treatment under the first free letter, to be changed; nothing when all are taken. */
export function added(wish: Intent): Partial<Intent> | undefined {
  const free = rules().letters.find((letter) => !letters(wish).includes(letter));
  if (!free) return undefined;
  const alternatives = [...(wish.alternatives ?? []), { letter: wish.letter ?? "A", ...treated(wish) }];
  return { letter: free, alternatives };
}

/** Without the present treatment; the nearest other one takes its place. */
export function removed(wish: Intent): Partial<Intent> | undefined {
  const now = wish.letter ?? "A";
  const others = letters(wish).filter((letter) => letter !== now);
  const next = others.findLast((letter) => letter < now) ?? others[0];
  if (!next) return undefined;
  const change = switched(wish, next);
  return { ...change, alternatives: change.alternatives?.filter((a) => a.letter !== now) };
}

/** What the rail is about: the whole picture, or one of its areas. */
export type Scope = "whole" | number;

export function stepsIn(wish: Intent, scope: Scope): Steps {
  const area = scope === "whole" ? undefined : wish.areas?.[scope];
  return stepsOf(area?.steps ?? wish);
}

export function changeIn(wish: Intent, scope: Scope, part: Partial<Steps>): Partial<Intent> {
  if (scope === "whole" || !wish.areas?.[scope]) return part;
  return changeArea(wish, scope, { steps: { ...wish.areas[scope].steps, ...part } });
}

export function changeArea(wish: Intent, index: number, part: Partial<Area>): Partial<Intent> {
  return { areas: wish.areas?.map((area, i) => (i === index ? { ...area, ...part } : area)) };
}
