import { describe, expect, it } from "vitest";
import type { Enlargement, Plan, Intent } from "../api/client";
import { type Pane, type Source, filledUp, linesUp, paneView, plainName } from "./panes";
import { NOTHING_CLEANED, NOTHING_FINISHED, PLAIN_FRAME } from "./intent";

const steps = {
  clean: NOTHING_CLEANED,
  enlarge: { by: "plain" as const, kernel: "bicubic" as const },
  finish: NOTHING_FINISHED,
};

const intent: Intent = {
  ...steps,
  target: { by: "factor", factor: 2 },
  frame: PLAIN_FRAME,
  output: { format: "tiff", depth: 8, quality: 92, chroma: "auto", compression: "deflate", profile: "original" },
  letter: "B",
  alternatives: [
    { letter: "A", ...steps },
    { letter: "D", ...steps },
  ],
};

const plan = {
  sheet: { width: 1200, height: 800 },
  treatment: "now",
  plain: { nearest: "squares", bicubic: "cubic", lanczos3: "sinc" },
  alternatives: [
    { letter: "A", treatment: "first", description: "Everyday x2, draft, to 1200 x 800 px" },
    { letter: "D", treatment: null, description: "" },
  ],
} as unknown as Plan;

const result = (id: number, width: number, height: number, frame = PLAIN_FRAME) =>
  ({ id, file_name: `vases-${id}.tif`, record: { size: { width, height }, frame } }) as unknown as Enlargement;

const source: Source = {
  hash: "original",
  intent,
  plan,
  extent: { width: 600, height: 400 },
  nameOf: (letter) => `treatment ${letter}`,
  results: [result(7, 2400, 1600), result(8, 2400, 1600, { ...PLAIN_FRAME, quarter_turns: 1 }), result(9, 900, 900)],
};

describe("panes", () => {
  it("fill up with the other treatments, finished files, and the original in other ways", () => {
    const first: Pane[] = [{ show: "plain", kernel: "bicubic" }, { show: "now" }];
    expect(filledUp(first, intent, [], 2)).toEqual(first);
    expect(filledUp(first, intent, [], 6).slice(2)).toEqual([
      { show: "letter", letter: "A" },
      { show: "letter", letter: "D" },
      { show: "plain", kernel: "nearest" },
      { show: "plain", kernel: "lanczos3" },
    ]);
    const alone = { ...intent, alternatives: [] };
    expect(filledUp(first, alone, [{ id: 7 }], 4).slice(2)).toEqual([
      { show: "result", id: 7 },
      { show: "plain", kernel: "nearest" },
    ]);
    const chosen: Pane[] = [...first, { show: "plain", kernel: "nearest" }];
    expect(filledUp(chosen, alone, [], 6)).toHaveLength(6);
  });

  it("show tiles of what they are to show, all under the sheet's coordinates", () => {
    const bases = (pane: Pane) => paneView(pane, source).candidate.base;
    expect(bases({ show: "now" })).toBe("/api/v1/tiles/original/now");
    expect(bases({ show: "plain", kernel: "nearest" })).toBe("/api/v1/tiles/original/squares");
    expect(bases({ show: "letter", letter: "A" })).toBe("/api/v1/tiles/original/first");
    expect(bases({ show: "result", id: 7 })).toBe("/api/v1/enlargements/7/tiles");
    expect(paneView({ show: "result", id: 7 }, source).candidate).toMatchObject({
      size: { width: 2400, height: 1600 },
      original: source.extent,
    });
    expect(plainName("nearest")).toContain("own pixels");
  });

  it("fall back to the present treatment where there is nothing to show", () => {
    for (const pane of [
      { show: "letter", letter: "D" },
      { show: "letter", letter: "F" },
      { show: "result", id: 8 },
      { show: "result", id: 99 },
    ] as Pane[]) {
      expect(paneView(pane, source).measured).toEqual({ treatment: "now" });
    }
  });

  it("are measured as what they show: a finished file in its own pixels", () => {
    const measured = (pane: Pane) => paneView(pane, source).measured;
    expect(measured({ show: "plain", kernel: "nearest" })).toEqual({ treatment: "squares" });
    expect(measured({ show: "letter", letter: "A" })).toEqual({ treatment: "first" });
    expect(measured({ show: "result", id: 7 })).toEqual({ enlargement: 7, scale: 2 });
  });

  it("mix the present treatment from both ends of a blend, and no other, nor under a mask", () => {
    const blend = { low: "none", high: "all", share: 0.25, settled: false };
    const mix = (pane: Pane, asked: Partial<Source> = {}) =>
      paneView(pane, { ...source, blend, ...asked }).candidate.mix;
    expect(mix({ show: "now" })).toMatchObject({
      low: { base: "/api/v1/tiles/original/none", size: plan.sheet },
      high: { base: "/api/v1/tiles/original/all", original: source.extent },
      share: 0.25,
      settled: false,
    });
    expect(mix({ show: "letter", letter: "A" })).toBeUndefined();
    expect(mix({ show: "now" }, { nowQuery: "?show=edges" })).toBeUndefined();
  });

  it("keep a letter's name even where it came to the same as the present one", () => {
    const same = { ...plan, alternatives: [{ letter: "A", treatment: "now", description: "" }] } as unknown as Plan;
    expect(paneView({ show: "letter", letter: "A" }, { ...source, plan: same }).name).toBe("treatment A");
    expect(paneView({ show: "letter", letter: "B" }, { ...source, plan: same }).name).toBe("treatment B");
  });

  it("show a map of all treatments, a mask of the present one, and never of the original", () => {
    const query = (pane: Pane, asked: Partial<Source>) => paneView(pane, { ...source, ...asked }).candidate.query;
    const map = { query: "?show=departure" };
    expect(query({ show: "now" }, map)).toBe(map.query);
    expect(query({ show: "letter", letter: "A" }, map)).toBe(map.query);
    expect(query({ show: "result", id: 7 }, map)).toBe(map.query);
    expect(query({ show: "plain", kernel: "bicubic" }, map)).toBeUndefined();
    const mask = { nowQuery: "?show=edges" };
    expect(query({ show: "now" }, mask)).toBe(mask.nowQuery);
    expect(query({ show: "letter", letter: "A" }, mask)).toBeUndefined();
  });

  it("line up with a finished file of any size, but not with another crop", () => {
    const [same, turned, square] = source.results as [Enlargement, Enlargement, Enlargement];
    expect(linesUp(same, plan, intent)).toBe(true);
    expect(linesUp(turned, plan, intent)).toBe(false);
    expect(linesUp(square, plan, intent)).toBe(false);
  });
});
