import { expect, test } from "vitest";
import type { Reading } from "../../api/client";
import { readingLine } from "./ReadingCard";

const read = (noise: object, softness: object | null): Reading =>
  ({ reading: { noise, softness } }) as unknown as Reading;

test.each([
  [{ sigma: 0.3, hidden: false }, { sigma: 0.7 }, "no noise, sharp"],
  [{ sigma: 15.2, hidden: false }, { sigma: 1.2 }, "noise 15.2, a little soft"],
  [{ sigma: 9.9, hidden: true }, { sigma: 0.7 }, "texture, sharp"],
  [{ sigma: 4, hidden: false }, null, "noise 4"],
])("%o and softness %o read as '%s'", (noise, softness, line) => {
  expect(readingLine(read(noise, softness))).toBe(line);
});

test("nothing is claimed before it is measured", () => {
  expect(readingLine(undefined)).toBe("being measured");
});
