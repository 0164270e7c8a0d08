/** While a hand is at work, the server hears of it: what it computes ahead would take the processor from what the hand moves. */

import { api } from "../api/client";

/** How often it hears of it at most: a little more often than it forgets. */
const EVERY_MS = 600;

const SIGNS = ["pointermove", "pointerdown", "wheel", "keydown"] as const;

/** Begins to tell; what is answered ends it. */
export function tellPresence(tell: () => void = askForNothing): () => void {
  let last = -Infinity;
  const heard = () => {
    const now = performance.now();
    if (now - last < EVERY_MS) return;
    last = now;
    tell();
  };
  for (const sign of SIGNS) window.addEventListener(sign, heard, { passive: true, capture: true });
  return () => {
    for (const sign of SIGNS) window.removeEventListener(sign, heard, { capture: true });
  };
}

/** The lightest question there is; its answer does not matter. */
function askForNothing(): void {
  void api.GET("/api/v1/session").catch(() => undefined);
}
