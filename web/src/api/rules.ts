/** The rules of the job by which controls are drawn: limits, defaults, formats and units, as the server hands them out. */

import type { Facts, Format, Kernel, Rules, Unit } from "./client";

let known: Rules | undefined;

/** From now on controls are drawn by these: set before anything is. */
export function setRules(rules: Rules): void {
  known = rules;
}

export function rules(): Rules {
  if (!known) throw new Error("The rules are not loaded yet.");
  return known;
}

/** How many millimetres one of a unit is. */
export const inMm = (unit: Unit): number => rules().units.find((u) => u.unit === unit)?.mm ?? 1;

/** Bits per channel that a format can have. */
export const depths = (format: Format): number[] => rules().formats.find((f) => f.format === format)?.depths ?? [8];

/** `depth` where a format can have it, or else what it has. */
export const depthIn = (format: Format, depth: number): number => {
  const has = depths(format);
  return has.includes(depth) ? depth : (has[0] ?? 8);
};

/** Whether a format's colours are decided, with a profile and a resolution. */
export const isFinished = (format: Format): boolean =>
  rules().formats.find((f) => f.format === format)?.finished ?? true;

/** The formats that a result of an original can be written in. */
export const formatsOf = ({ format }: Pick<Facts, "format">) =>
  rules().formats.filter(({ written_from }) => written_from?.includes(format) ?? true);

/** What a plain kernel is called. */
export const kernelName = (kernel: Kernel): string => rules().kernels.find((k) => k.kernel === kernel)?.name ?? kernel;
