/** The columns of a rehearsal: what they are called, which way is better, and how they are written. */

import type { RehearsalRow } from "../api/client";

export interface Column {
  key: "psnr" | "ssim" | "perceived" | "sharpness" | "screen" | "drift" | "seconds";
  name: string;
  about: string;
  /** Nothing where neither way is better: sharpness is best at 1, and screens that cannot be seen are alike. */
  better?: "more" | "less";
  of: (row: RehearsalRow) => number | undefined;
  digits: number;
}

export const COLUMNS: Column[] = [
  {
    key: "psnr",
    name: "dB",
    about: "How near it comes to the picture as it is: peak signal-to-noise ratio of luminance",
    better: "more",
    of: (row) => row.figures?.psnr,
    digits: 2,
  },
  {
    key: "ssim",
    name: "SSIM",
    about: "Structural similarity of luminance: 1 is equal",
    better: "more",
    of: (row) => row.figures?.ssim,
    digits: 3,
  },
  {
    key: "perceived",
    name: "Seen",
    about: "How far it lies from the picture as it is to a network that has learned to see: 0 is equal",
    better: "less",
    of: (row) => row.figures?.perceived ?? undefined,
    digits: 1,
  },
  {
    key: "sharpness",
    name: "Sharp",
    about: "Mean slope over that of the picture as it is: below 1 softer, above 1 sharper or noisier",
    of: (row) => row.figures?.sharpness,
    digits: 2,
  },
  {
    key: "screen",
    name: "Screen",
    about: "A pattern that repeats with every pixel of the small picture: photographs have 1 to 4",
    of: (row) => row.figures?.screen ?? undefined,
    digits: 1,
  },
  {
    key: "drift",
    name: "Drift",
    about: "How far colour moved: mean CIEDE2000 of 8 px means",
    better: "less",
    of: (row) => row.figures?.drift,
    digits: 2,
  },
  {
    key: "seconds",
    name: "s/MP",
    about: "Seconds for a megapixel of the small picture, as measured here",
    better: "less",
    of: (row) => row.seconds_per_megapixel ?? undefined,
    digits: 1,
  },
];

export interface Order {
  by: Column["key"];
  down: boolean;
}

/** The places of the rows in the order that is asked for; those without a figure last, as they came. */
export function sorted(rows: RehearsalRow[], { by, down }: Order): number[] {
  const column = COLUMNS.find((c) => c.key === by);
  const value = (i: number) => {
    const row = rows[i];
    return row && column?.of(row);
  };
  return rows
    .map((_, i) => i)
    .sort((a, b) => {
      const [x, y] = [value(a), value(b)];
      if (x === undefined || y === undefined) return Number(x === undefined) - Number(y === undefined) || a - b;
      return (down ? y - x : x - y) || a - b;
    });
}

/** With as many digits in every row, so that they stand below each other. */
export const written = (value: number, column: Column): string => value.toFixed(column.digits);

/** The best figure of a column, as it is written; nothing where neither way is better. */
export function best(rows: RehearsalRow[], column: Column): string | undefined {
  const values = rows.map(column.of).filter((v) => v !== undefined);
  if (!column.better || values.length < 2) return undefined;
  return written(column.better === "more" ? Math.max(...values) : Math.min(...values), column);
}

/** What is shown beside the picture at first: the first treatment, Everyday's models and the plainest good method. */
export function firstShown(rows: RehearsalRow[]): number[] {
  const named = (test: (name: string) => boolean) => rows.flatMap((row, i) => (test(row.name) ? [i] : []));
  const wanted = [
    ...named((name) => name.startsWith("Treatment")).slice(0, 2),
    ...named((name) => name.startsWith("Everyday")),
    ...named((name) => name === "Bicubic"),
    ...rows.map((_, i) => i),
  ];
  return [...new Set(wanted)].slice(0, MOST_SHOWN);
}

/** Candidates that lie beside the picture at once. */
export const MOST_SHOWN = 5;

/** A candidate more, or one less; of too many the one shown longest goes. */
export function toggled(shown: number[], candidate: number): number[] {
  if (shown.includes(candidate)) return shown.filter((i) => i !== candidate);
  return [...shown, candidate].slice(-MOST_SHOWN);
}
