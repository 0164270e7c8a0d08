/** What each pane of the stage shows, in words and as tiles. */

import type { Enlargement, Kernel, Letter, Plan, Intent } from "../api/client";
import type { Measured } from "../api/queries";
import { kernelName } from "../api/rules";
import type { Candidate } from "../stage/tiles";
import { letters } from "./treatments";

/** What a pane is to show. */
export type Pane =
  | { show: "plain"; kernel: Kernel }
  /** The treatment that the rail is about. */
  | { show: "now" }
  | { show: "letter"; letter: Letter }
  | { show: "result"; id: number };

/** How the original is named: nearest repeats its own pixels. */
export function plainName(kernel: Kernel): string {
  return kernel === "nearest" ? "Original, its own pixels" : `Original, ${kernelName(kernel)}`;
}

const SPARE: Pane[] = [
  { show: "plain", kernel: "nearest" },
  { show: "plain", kernel: "lanczos3" },
];

/** As many panes as are needed: those that were chosen, then the other treatments, finished files, and the original in other ways. */
export function filledUp(chosen: Pane[], intent: Intent, results: Pick<Enlargement, "id">[], count: number): Pane[] {
  const other = letters(intent).filter((letter) => letter !== (intent.letter ?? "A"));
  const panes = [...chosen];
  const same = (a: Pane) => (b: Pane) => JSON.stringify(a) === JSON.stringify(b);
  const others = other.map((letter): Pane => ({ show: "letter", letter }));
  const finished = results.map(({ id }): Pane => ({ show: "result", id }));
  for (const next of [...others, ...finished, ...SPARE]) {
    if (panes.length >= count) break;
    if (!panes.some(same(next))) panes.push(next);
  }
  while (panes.length < count) panes.push({ show: "now" });
  return panes;
}

interface Extent {
  width: number;
  height: number;
}

export interface PaneView {
  name: string;
  candidate: Candidate;
  /** What its figures are measured of. */
  measured: Measured;
}

/** Everything that a pane may show of a picture. */
export interface Source {
  hash: string;
  intent: Intent;
  plan: Plan;
  /** The sheet in pixels of the original. */
  extent: Extent;
  /** A treatment in a few words, by its letter. */
  nameOf: (letter: Letter) => string;
  results: Enlargement[];
  /** What all treatments are to show instead of their pixels, such as "?show=departure". */
  query?: string;
  /** What the present one is to show instead. */
  nowQuery?: string;
  /** Both ends of a control that blends and is at hand, as treatments. */
  blend?: { low: string; high: string; share: number; settled: boolean };
}

/** A finished enlargement lines up when it was framed as the picture is now, and fills its sheet as much. */
export function linesUp(result: Enlargement, plan: Plan, intent: Intent): boolean {
  const { width, height } = result.record.size;
  const shape = Math.abs(width / height - plan.sheet.width / plan.sheet.height) < 0.01;
  return shape && JSON.stringify(result.record.frame ?? null) === JSON.stringify(intent.frame ?? null);
}

/** What a letter's treatment came to: without a hash where it cannot be carried out. */
export function planned(
  plan: Plan,
  intent: Intent,
  letter: Letter,
): { treatment?: string | null; description: string } {
  if (letter === (intent.letter ?? "A")) return plan;
  return plan.alternatives.find((a) => a.letter === letter) ?? { description: "" };
}

export function paneView(pane: Pane, source: Source): PaneView {
  const { hash, plan, intent, extent } = source;
  const of = (treatment: string, query?: string): Candidate => ({
    base: `/api/v1/tiles/${hash}/${treatment}`,
    size: plan.sheet,
    original: extent,
    query,
  });
  const mix = () => {
    if (!source.blend) return undefined;
    const { low, high, share, settled } = source.blend;
    return { low: of(low, source.query), high: of(high, source.query), share, settled };
  };
  const now: PaneView = {
    name: source.nameOf(intent.letter ?? "A"),
    candidate: {
      ...of(plan.treatment, source.nowQuery ?? source.query),
      mix: source.nowQuery ? undefined : mix(),
      draft: plan.draft && !source.query && !source.nowQuery ? of(plan.draft) : undefined,
    },
    measured: { treatment: plan.treatment },
  };
  switch (pane.show) {
    case "plain": {
      const treatment = plan.plain[pane.kernel];
      return { name: plainName(pane.kernel), candidate: of(treatment), measured: { treatment } };
    }
    case "letter": {
      const { treatment } = planned(plan, intent, pane.letter);
      if (!treatment || pane.letter === (intent.letter ?? "A")) return now;
      return { name: source.nameOf(pane.letter), candidate: of(treatment, source.query), measured: { treatment } };
    }
    case "result": {
      const result = source.results.find((r) => r.id === pane.id);
      if (!result || !linesUp(result, plan, intent)) return now;
      const { size } = result.record;
      const candidate: Candidate = {
        base: `/api/v1/enlargements/${result.id}/tiles`,
        size,
        original: extent,
        query: source.query,
      };
      const measured = { enlargement: result.id, scale: size.width / plan.sheet.width };
      return { name: result.file_name, candidate, measured };
    }
    case "now":
      return now;
  }
}
