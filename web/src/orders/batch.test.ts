import { expect, test } from "vitest";
import { changed } from "./batch";

test("the last decision on a result counts", () => {
  const first = { key: "1-0-0", skip: true };
  const other = { key: "2-0-0", skip: true };
  expect(changed([first, other], { key: "1-0-0", skip: false })).toEqual([other, { key: "1-0-0", skip: false }]);
});
