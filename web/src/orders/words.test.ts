import { expect, test } from "vitest";
import type { Counts, Order } from "../api/client";
import { counted } from "../app/format";
import { chosen, daysUntil, dueText, share, stateText } from "./words";

const counts = (part: Partial<Counts>): Counts => ({
  originals: 0,
  waiting: 0,
  running: 0,
  failed: 0,
  results: 0,
  unseen: 0,
  sent_back: 0,
  ...part,
});

test("dates read from today", () => {
  expect(daysUntil("2026-12-01", "2026-11-26")).toBe(5);
  expect(dueText("2026-11-26", "2026-11-26")).toBe("due today");
  expect(dueText("2026-11-27", "2026-11-26")).toBe("due tomorrow");
  expect(dueText("2026-12-01", "2026-11-26")).toBe("due in 5 days");
  expect(dueText("2026-11-24", "2026-11-26")).toBe("2 days late");
  expect(dueText("2027-01-14", "2026-11-26")).toBe("due 14 January");
});

test("an order says what it asks for next", () => {
  expect(stateText(counts({}))).toBe("no pictures yet");
  expect(stateText(counts({ originals: 5, running: 1, waiting: 2, results: 2, unseen: 1 }))).toBe(
    "5 pictures, 1 running, 2 waiting, 1 to look through, 1 accepted",
  );
  expect(share(counts({ originals: 4, results: 3, sent_back: 1 }))).toBe(0.5);
  expect(share(counts({ originals: 1, results: 3 }))).toBe(1);
});

test("orders are found, kept apart and sorted", () => {
  const order = (id: number, part: Partial<Order>) =>
    ({ id, title: `Order ${id}`, client: "", purpose: "", notes: "", counts: counts({}), ...part }) as Order;
  const orders = [
    order(1, { due_on: "2026-12-05", client: "Café Fornace" }),
    order(2, { archived_at: "2026-11-01" }),
    order(3, { due_on: "2026-11-30", counts: counts({ unseen: 2 }) }),
    order(4, { title: "A wall" }),
  ];
  const ids = (...args: [Parameters<typeof chosen>[1], string, Parameters<typeof chosen>[3]]) =>
    chosen(orders, ...args).map((o) => o.id);
  expect(ids("work", "", "due")).toEqual([3, 1, 4]);
  expect(ids("work", "", "newest")).toEqual([4, 3, 1]);
  expect(ids("work", "", "title")).toEqual([4, 1, 3]);
  expect(ids("work", " fornace", "due")).toEqual([1]);
  expect(ids("look", "", "due")).toEqual([3]);
  expect(ids("archive", "", "due")).toEqual([2]);
});

test.each([
  [0, "0 pictures"],
  [1, "1 picture"],
  [12, "12 pictures"],
])("%i are counted as people count", (count, words) => {
  expect(counted(count, "picture")).toBe(words);
});
