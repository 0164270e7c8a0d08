/** Whether a list is scrolled too quickly for its pictures to be seen. */

import { useRef } from "react";

/** Pixels a millisecond from which on: at this speed a cell crosses a screen within a tenth of a second. */
export const HURRIED = 6;

interface Seen {
  offset: number;
  /** When the list was there, in milliseconds. */
  at: number;
  hurried: boolean;
}

/** Pure: what is known after a list was seen at another place. Not scrolling, it is at rest; seen twice at once, nothing new is known. */
export function hurrying(before: Seen, offset: number, at: number, scrolling: boolean): Seen {
  if (!scrolling) return { offset, at, hurried: false };
  if (at <= before.at) return before;
  return { offset, at, hurried: Math.abs(offset - before.offset) / (at - before.at) > HURRIED };
}

/** `offset` is how far the list is scrolled, in pixels. */
export function useHurried(scrolling: boolean, offset: number): boolean {
  const seen = useRef<Seen>({ offset, at: 0, hurried: false });
  // eslint-disable-next-line react-hooks/refs, react-hooks/purity -- how quickly it moves is known from one drawing to the next alone
  return (seen.current = hurrying(seen.current, offset, performance.now(), scrolling)).hurried;
}
