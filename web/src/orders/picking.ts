/** Choosing from a list: one by one, or all between two. */

/** What is chosen after a click on `id`: it alone changes, or all from `range` to it become chosen. */
export function picked(all: number[], chosen: number[], id: number, how: { range?: number }): number[] {
  const [from, to] = [how.range === undefined ? -1 : all.indexOf(how.range), all.indexOf(id)];
  if (from < 0 || to < 0) return chosen.includes(id) ? chosen.filter((other) => other !== id) : [...chosen, id];
  const between = all.slice(Math.min(from, to), Math.max(from, to) + 1);
  return [...chosen.filter((other) => !between.includes(other)), ...between];
}

/** Where a list of jobs goes when it is moved by `steps` among those that wait; what it is to be put before, if anything. */
export function neighbour(all: number[], id: number, steps: -1 | 1): { before: number | undefined } | undefined {
  const at = all.indexOf(id);
  if (at < 0 || at + steps < 0 || at + steps >= all.length) return undefined;
  return { before: steps === -1 ? all[at - 1] : all[at + 2] };
}
