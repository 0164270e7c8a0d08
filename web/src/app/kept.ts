/** Settings of this browser that outlast a reload. */

import { useCallback, useState } from "react";

export function recall<T>(key: string): T | undefined {
  try {
    const text = localStorage.getItem(`dettaglio.${key}`);
    return text === null ? undefined : (JSON.parse(text) as T);
  } catch {
    return undefined;
  }
}

export function keep(key: string, value: unknown): void {
  try {
    localStorage.setItem(`dettaglio.${key}`, JSON.stringify(value));
  } catch {
    // A browser that keeps nothing is no reason to stop.
  }
}

/** As useState, remembered under a key. */
export function useKept<T>(key: string, initial: T): [T, (value: T) => void] {
  const [value, setValue] = useState<T>(() => recall<T>(key) ?? initial);
  const set = useCallback(
    (next: T) => {
      setValue(next);
      keep(key, next);
    },
    [key],
  );
  return [value, set];
}
