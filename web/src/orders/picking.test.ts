import { expect, test } from "vitest";
import { neighbour, picked } from "./picking";

test("a click chooses one and takes it back", () => {
  expect(picked([1, 2, 3], [], 2, {})).toEqual([2]);
  expect(picked([1, 2, 3], [2, 3], 2, {})).toEqual([3]);
});

test("with shift, all between are chosen, whichever way", () => {
  expect(picked([1, 2, 3, 4, 5], [1], 4, { range: 2 })).toEqual([1, 2, 3, 4]);
  expect(picked([1, 2, 3, 4, 5], [5, 3], 2, { range: 4 })).toEqual([5, 2, 3, 4]);
  expect(picked([1, 2], [], 2, { range: 99 })).toEqual([2]);
});

test("a job changes places with its neighbour, and stops at the ends", () => {
  expect(neighbour([7, 8, 9], 8, -1)).toEqual({ before: 7 });
  expect(neighbour([7, 8, 9], 7, 1)).toEqual({ before: 9 });
  expect(neighbour([7, 8, 9], 8, 1)).toEqual({ before: undefined });
  expect(neighbour([7, 8, 9], 7, -1)).toBeUndefined();
  expect(neighbour([7, 8, 9], 9, 1)).toBeUndefined();
  expect(neighbour([7, 8, 9], 4, 1)).toBeUndefined();
});
