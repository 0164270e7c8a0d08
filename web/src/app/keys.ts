import { useEffect, useRef } from "react";
import { isTyped } from "./keymap";

/** Calls `onKey` for keys that are pressed alone and outside of fields; what it answers true to goes no further. */
export function useKeys(onKey: (key: string) => boolean): void {
  const latest = useRef(onKey);
  useEffect(() => {
    latest.current = onKey;
  });
  useEffect(() => {
    const pressed = (e: KeyboardEvent) => {
      if (isTyped(e.target, e.key) || e.ctrlKey || e.metaKey || e.altKey) return;
      if (latest.current(e.key)) e.preventDefault();
    };
    window.addEventListener("keydown", pressed);
    return () => window.removeEventListener("keydown", pressed);
  }, []);
}
