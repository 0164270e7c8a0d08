import { describe, expect, it } from "vitest";
import type { Area, Intent } from "../api/client";
import { added, changeIn, letters, removed, stepsIn, switched, treatmentOf } from "./treatments";
import { NOTHING_CLEANED, NOTHING_FINISHED, PLAIN_FRAME } from "./intent";

const plain = (kernel: "bicubic" | "nearest" | "lanczos3") => ({ by: "plain" as const, kernel });

const intent: Intent = {
  target: { by: "factor", factor: 2 },
  frame: PLAIN_FRAME,
  clean: NOTHING_CLEANED,
  enlarge: plain("bicubic"),
  finish: NOTHING_FINISHED,
  output: { format: "tiff", depth: 8, quality: 92, chroma: "auto", compression: "deflate", profile: "original" },
};

const sky: Area = {
  name: "Sky",
  mask: { by: "gradient", from: { x: 0, y: 0 }, to: { x: 0, y: 50 } },
  steps: { clean: NOTHING_CLEANED, enlarge: plain("nearest"), finish: NOTHING_FINISHED },
};

const after = (now: Intent, change: Partial<Intent> | undefined): Intent => ({ ...now, ...change });

describe("treatments", () => {
  it("start as a copy under the next letter and go their own way", () => {
    const two = after(after(intent, added(intent)), { enlarge: plain("lanczos3") });
    expect(letters(two)).toEqual(["A", "B"]);
    expect(two.letter).toBe("B");
    expect(treatmentOf(two, "A")?.enlarge).toEqual(plain("bicubic"));
    const back = after(two, switched(two, "A"));
    expect(back.enlarge).toEqual(plain("bicubic"));
    expect(treatmentOf(back, "B")?.enlarge).toEqual(plain("lanczos3"));
    expect(letters(back)).toEqual(["A", "B"]);
  });

  it("are six at most, and one at least", () => {
    let now = intent;
    for (let i = 0; i < 5; i++) now = after(now, added(now));
    expect(letters(now)).toHaveLength(6);
    expect(added(now)).toBeUndefined();
    for (let i = 0; i < 5; i++) now = after(now, removed(now));
    expect(letters(now)).toEqual(["A"]);
    expect(removed(now)).toBeUndefined();
  });

  it("take the letter of one that was removed", () => {
    const three = after(after(intent, added(intent)), undefined);
    const again = after(three, added(three));
    const without = after(after(again, switched(again, "B")), undefined);
    const gone = after(without, removed(without));
    expect(letters(gone)).toEqual(["A", "C"]);
    expect(gone.letter).toBe("A");
    expect(added(gone)?.letter).toBe("B");
  });

  it("have areas of their own", () => {
    const one = { ...intent, areas: [sky] };
    const two = after(one, added(one));
    const changed = after(two, changeIn(two, 0, { enlarge: plain("lanczos3") }));
    expect(stepsIn(changed, 0).enlarge).toEqual(plain("lanczos3"));
    expect(stepsIn(changed, "whole").enlarge).toEqual(plain("bicubic"));
    expect(treatmentOf(changed, "A")?.areas[0]?.steps.enlarge).toEqual(plain("nearest"));
  });
});
