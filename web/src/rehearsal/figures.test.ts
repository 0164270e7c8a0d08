import { expect, test } from "vitest";
import type { RehearsalRow } from "../api/client";
import { COLUMNS, MOST_SHOWN, best, firstShown, sorted, toggled } from "./figures";

const row = (name: string, psnr?: number, seconds?: number): RehearsalRow =>
  ({
    name,
    figures: psnr === undefined ? null : { psnr, ssim: psnr / 100, sharpness: 1, screen: 2, drift: 1 },
    seconds_per_megapixel: seconds ?? null,
  }) as unknown as RehearsalRow;

const ROWS = [row("Treatment A", 30, 4), row("Nearest", 25, 0.1), row("Bicubic"), row("Everyday x2, fine", 31, 9)];

test("rows are sorted either way, and those without a figure come last both times", () => {
  expect(sorted(ROWS, { by: "psnr", down: true })).toEqual([3, 0, 1, 2]);
  expect(sorted(ROWS, { by: "psnr", down: false })).toEqual([1, 0, 3, 2]);
  expect(sorted(ROWS, { by: "seconds", down: false })).toEqual([1, 0, 3, 2]);
});

test("the best is the highest or the lowest, as the column has it, and nothing where neither is better", () => {
  const of = (key: string) => best(ROWS, COLUMNS.find((c) => c.key === key) ?? COLUMNS[0]!);
  expect(of("psnr")).toBe("31.00");
  expect(of("seconds")).toBe("0.1");
  expect(of("sharpness")).toBeUndefined();
  expect(best([ROWS[0]!], COLUMNS[0]!)).toBeUndefined();
});

test("the treatment, Everyday and bicubic are shown first, and no more than there is room for", () => {
  expect(firstShown(ROWS)).toEqual([0, 3, 2, 1]);
  const many = Array.from({ length: 12 }, (_, i) => row(`Model ${i}`, 30));
  expect(firstShown(many)).toHaveLength(MOST_SHOWN);
});

test("a click shows a candidate or puts it away; of too many the one shown longest goes", () => {
  expect(toggled([0, 3], 3)).toEqual([0]);
  expect(toggled([0, 3], 1)).toEqual([0, 3, 1]);
  expect(toggled([0, 1, 2, 3, 4], 5)).toEqual([1, 2, 3, 4, 5]);
});
