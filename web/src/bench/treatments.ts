/** Treatments of one picture side by side: their letters, their areas, and which of them the rail is about. */

import type { Area, Intent, Letter, Steps } from "../api/client";
import { rules } from "../api/rules";

/** What of an intent makes one treatment differ from another. */
export type Treated = Steps & { areas: Area[] };

export function stepsOf({ repair, clean, enlarge, faces, finish }: Steps): Steps {
  return { ...(repair && { repair }), clean, enlarge, faces, finish };
}

function treated(intent: Intent): Treated {
  return { ...stepsOf(intent), areas: intent.areas ?? [] };
}

/** All letters in use, in order. */
export function letters(intent: Intent): Letter[] {
  const used = [intent.letter ?? "A", ...(intent.alternatives ?? []).map((a) => a.letter)];
  return rules().letters.filter((letter) => used.includes(letter));
}

/** The treatment with a letter. */
export function treatmentOf(intent: Intent, letter: Letter): Treated | undefined {
  if (letter === (intent.letter ?? "A")) return treated(intent);
  const other = intent.alternatives?.find((a) => a.letter === letter);
  return other && { ...stepsOf(other), areas: other.areas ?? [] };
}

/** The rail turns to another treatment. */
export function switched(intent: Intent, letter: Letter): Partial<Intent> {
  const next = treatmentOf(intent, letter);
  const now = intent.letter ?? "A";
  if (!next || letter === now) return {};
  const others = (intent.alternatives ?? []).filter((a) => a.letter !== letter);
  return { ...next, letter, alternatives: [...others, { letter: now, ...treated(intent) }] };
}

/** A copy of the present treatment under the first free letter, to be changed; nothing when all are taken. */
export function added(intent: Intent): Partial<Intent> | undefined {
  const free = rules().letters.find((letter) => !letters(intent).includes(letter));
  if (!free) return undefined;
  const alternatives = [...(intent.alternatives ?? []), { letter: intent.letter ?? "A", ...treated(intent) }];
  return { letter: free, alternatives };
}

/** Without the present treatment; the nearest other one takes its place. */
export function removed(intent: Intent): Partial<Intent> | undefined {
  const now = intent.letter ?? "A";
  const others = letters(intent).filter((letter) => letter !== now);
  const next = others.findLast((letter) => letter < now) ?? others[0];
  if (!next) return undefined;
  const change = switched(intent, next);
  return { ...change, alternatives: change.alternatives?.filter((a) => a.letter !== now) };
}

/** What the rail is about: the whole picture, or one of its areas. */
export type Scope = "whole" | number;

export function stepsIn(intent: Intent, scope: Scope): Steps {
  const area = scope === "whole" ? undefined : intent.areas?.[scope];
  return stepsOf(area?.steps ?? intent);
}

export function changeIn(intent: Intent, scope: Scope, part: Partial<Steps>): Partial<Intent> {
  if (scope === "whole" || !intent.areas?.[scope]) return part;
  return changeArea(intent, scope, { steps: { ...intent.areas[scope].steps, ...part } });
}

export function changeArea(intent: Intent, index: number, part: Partial<Area>): Partial<Intent> {
  return { areas: intent.areas?.map((area, i) => (i === index ? { ...area, ...part } : area)) };
}
