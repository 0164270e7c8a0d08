import { useEffect, useRef } from "react";

/** Calls `onKey` for keys that are pressed alone and outside of fields; what it answers true to goes no further. */
export function useKeys(onKey: (key: string) => boolean): void {
  const latest = useRef(onKey);
  useEffect(() => {
    latest.current = onKey;
  });
  useEffect(() => {
    const pressed = (e: KeyboardEvent) => {
      if (/^(INPUT|TEXTAREA)$/.test((e.target as HTMLElement).tagName) || e.ctrlKey || e.metaKey || e.altKey) return;
      if (latest.current(e.key)) e.preventDefault();
    };
    window.addEventListener("keydown", pressed);
    return () => window.removeEventListener("keydown", pressed);
  }, []);
}
