/** Orders and dates in words. */

import type { Counts, Order } from "../api/client";
import { counted } from "../app/format";

const DAY_MS = 86_400_000;

/** Whole days from one date to another, both as "2026-11-26". */
export const daysUntil = (due: string, today: string): number =>
  Math.round((Date.parse(due) - Date.parse(today)) / DAY_MS);

/** "due today", "due in 3 days", "2 days late", "due 14 January". */
export function dueText(due: string, today: string): string {
  const days = daysUntil(due, today);
  if (days === 0) return "due today";
  if (days === 1) return "due tomorrow";
  if (days < 0) return days === -1 ? "1 day late" : `${-days} days late`;
  if (days <= 14) return `due in ${days} days`;
  return `due ${new Date(due).toLocaleDateString("en-GB", { day: "numeric", month: "long" })}`;
}

export const today = (): string => new Date().toISOString().slice(0, 10);

/** What an order asks for next, in one line. */
export function stateText(c: Counts): string {
  if (c.originals === 0) return "no pictures yet";
  const parts = [counted(c.originals, "picture")];
  if (c.running) parts.push(`${c.running} running`);
  if (c.waiting) parts.push(`${c.waiting} waiting`);
  if (c.failed) parts.push(`${c.failed} failed`);
  if (c.unseen) parts.push(`${c.unseen} to look through`);
  if (c.sent_back) parts.push(`${c.sent_back} sent back`);
  const seen = c.results - c.unseen - c.sent_back;
  if (seen > 0) parts.push(`${seen} accepted`);
  return parts.join(", ");
}

/** The share of an order's pictures that have a result which was not sent back. */
export const share = (c: Counts): number =>
  c.originals === 0 ? 0 : Math.min(1, (c.results - c.sent_back) / c.originals);

export type Shelf = "work" | "look" | "archive";
export type Sorting = "due" | "newest" | "title";

/** The orders of a shelf that hold a text, sorted. */
export function chosen(orders: Order[], shelf: Shelf, text: string, sorting: Sorting): Order[] {
  const wanted = text.trim().toLowerCase();
  const on = (o: Order) =>
    shelf === "archive" ? o.archived_at != null : o.archived_at == null && (shelf === "work" || o.counts.unseen > 0);
  const holds = (o: Order) =>
    [o.title, o.client, o.purpose, o.notes, o.reference].some((t) => t?.toLowerCase().includes(wanted));
  const compare: { [sorting in Sorting]: (a: Order, b: Order) => number } = {
    // Without a date last.
    due: (a, b) => (a.due_on ?? "9").localeCompare(b.due_on ?? "9") || b.id - a.id,
    newest: (a, b) => b.id - a.id,
    title: (a, b) => a.title.localeCompare(b.title),
  };
  return orders.filter((o) => on(o) && (wanted === "" || holds(o))).sort(compare[sorting]);
}
