import { describe, expect, it } from "vitest";
import { type Looking, lookingOf, lookingText } from "./looking";

describe("what is looked at", () => {
  it.each<[Looking, string]>([
    [{}, ""],
    [{ at: { spot: 2 } }, "spot=2"],
    [{ at: "whole", compare: "side" }, "at=whole&compare=side"],
    [{ at: { x: 0.25, y: 0.5, zoom: 2 } }, "at=0.25,0.5,2"],
    [
      {
        compare: "four",
        panes: [
          { show: "plain", kernel: "lanczos3" },
          { show: "now" },
          { show: "letter", letter: "B" },
          { show: "result", id: 12 },
        ],
      },
      "compare=four&panes=lanczos3,now,B,result-12",
    ],
  ])("%# is written into the address and read from it", (looking, text) => {
    expect(lookingText(looking)).toBe(text);
    expect(lookingOf(`?${text}`)).toEqual({ at: undefined, compare: undefined, panes: undefined, ...looking });
  });

  it.each([
    "spot=0",
    "spot=x",
    "at=0.2",
    "at=2,0.5,1",
    "at=0.1,0.1,0",
    "compare=other",
    "panes=bicubic,other",
    "panes=",
  ])("says nothing where the address says nonsense: %s", (text) =>
    expect(lookingOf(text)).toEqual({ at: undefined, compare: undefined, panes: undefined }),
  );

  it("is rounded to what can be seen", () => {
    expect(lookingText({ at: { x: 1 / 3, y: 0.5, zoom: 1 } })).toBe("at=0.3333,0.5,1");
  });
});
