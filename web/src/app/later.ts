/** Values that change as fast as a hand moves. */

import { useEffect, useRef, useState } from "react";

/** A value as it was once it rested. */
export function useLater<T>(value: T, milliseconds: number): T {
  const [rested, setRested] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setRested(value), milliseconds);
    return () => clearTimeout(timer);
  }, [value, milliseconds]);
  return rested;
}

/** A value once it has rested so long; none before, not even at first. */
export function useRested<T>(value: T, milliseconds: number): T | undefined {
  const [rested, setRested] = useState<T>();
  useEffect(() => {
    const timer = setTimeout(() => setRested(() => value), milliseconds);
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
