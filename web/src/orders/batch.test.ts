import { expect, test } from "vitest";
import { changed, fixText } from "./batch";

test("the last decision on a result counts", () => {
  const first = { key: "1-0-0", skip: true };
  const other = { key: "2-0-0", skip: true };
  expect(changed([first, other], { key: "1-0-0", skip: false })).toEqual([other, { key: "1-0-0", skip: false }]);
});

test("what mends something says what it does", () => {
  expect(fixText({ by: "plain" })).toBe("Without a model");
  expect(fixText({ by: "format", format: "tiff" })).toBe("As TIFF");
  const paper = { width: 38, height: 25.4, unit: "cm" } as const;
  expect(fixText({ by: "target", target: { by: "print", paper, ppi: 200 } })).toBe("38 × 25.4 cm at 200 ppi");
});
