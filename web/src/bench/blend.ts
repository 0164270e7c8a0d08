/** A control that only blends is mixed on the screen while the hand moves, out of its two ends. */

import { createContext, useContext, useEffect } from "react";
import type { Steps, Wish } from "../api/client";
import { type Scope, changeIn } from "./treatments";

/** Both ends of the control that is at hand, and where it stands between them. */
export interface Blend {
  low: Partial<Steps>;
  high: Partial<Steps>;
  /** 0 at the low end, 1 at the high one. */
  share: number;
}

/** Takes the blend that is at hand; nothing when none is. */
export const Blending = createContext<(blend: Blend | undefined) => void>(() => undefined);

/** Offers a control's ends for as long as it is at hand. */
export function useBlend(
  atHand: boolean,
  of: ((value: number) => Partial<Steps>) | undefined,
  value: number,
  min: number,
  max: number,
) {
  const offer = useContext(Blending);
  const blend = atHand && of ? { low: of(min), high: of(max), share: (value - min) / (max - min) } : undefined;
  const said = JSON.stringify(blend);
  useEffect(() => {
    if (said === undefined) return;
    offer(JSON.parse(said) as Blend);
    return () => offer(undefined);
  }, [offer, said]);
}

/**
 * A wish with one end of a blend, alone: what it is compared with does not matter to it. Faces are restored in the whole picture,
 * whatever the rail is about.
 */
export function endOf(wish: Wish, scope: Scope, end: Partial<Steps>): Wish {
  return { ...wish, ...changeIn(wish, "faces" in end ? "whole" : scope, end), alternatives: [] };
}
