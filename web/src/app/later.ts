/** Values that change as fast as a hand moves. */

import { useEffect, useRef, useState } from "react";

/** A value as it was once it rested; until it first has, `first`, which is the value itself where nothing else is given. */
export function useLater<T, F = T>(value: T, milliseconds: number, first: T | F = value): T | F {
  const [rested, setRested] = useState<T | F>(first);
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), milliseconds);
    return () => clearTimeout(timer);
  }, [value, milliseconds]);
  return rested;
}

/** The first change at once, those that follow it no more often than every so many milliseconds, the last one always. */
export function usePaced<T>(value: T, milliseconds: number): T {
  const [shown, setShown] = useState(value);
  const last = useRef(0);
  useEffect(() => {
    const pause = Math.max(0, last.current + milliseconds - performance.now());
    const timer = setTimeout(() => {
      last.current = performance.now();
      setShown(value);
    }, pause);
    return () => clearTimeout(timer);
  }, [value, milliseconds]);
  return shown;
}

/** A value, or the last one that was there about the same thing while there is none. */
export function useLast<T>(value: T | undefined, about: unknown): T | undefined {
  const [last, setLast] = useState({ about, value });
  const kept = value ?? (last.about === about ? last.value : undefined);
  if (last.about !== about || last.value !== kept) setLast({ about, value: kept });
  return kept;
}
