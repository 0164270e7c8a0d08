/** A control that only blends is mixed on the screen while the hand moves, out of its two ends. */

import { createContext, useContext, useEffect } from "react";
import type { Intent } from "../api/client";
import { type Scope, changeIn } from "./treatments";

/** Both ends of the control that is at hand, and where it stands between them. */
export interface Blend {
  low: Partial<Intent>;
  high: Partial<Intent>;
  /** 0 at the low end, 1 at the high one. */
  share: number;
}

/** Takes the blend that is at hand; nothing when none is. */
export const Blending = createContext<(blend: Blend | undefined) => void>(() => undefined);

/** A control's values between which the picture goes nearly straight from one to the other, rising: at least both ends. */
export type Knots = readonly [number, number, ...number[]];

/** The two of them that a value lies between. */
export function between(knots: Knots, value: number): [number, number] {
  const found = knots.findIndex((knot) => knot >= value);
  const above = found < 0 ? knots.length - 1 : Math.max(1, found);
  return [knots[above - 1] ?? knots[0], knots[above] ?? knots[1]];
}

/** Offers a control's ends for as long as it is at hand. */
export function useBlend(
  atHand: boolean,
  of: ((value: number) => Partial<Intent>) | undefined,
  value: number,
  knots: Knots,
) {
  const offer = useContext(Blending);
  const [low, high] = between(knots, value);
  const blend = atHand && of ? { low: of(low), high: of(high), share: (value - low) / (high - low) } : undefined;
  const said = JSON.stringify(blend);
  useEffect(() => {
    if (said === undefined) return;
    offer(JSON.parse(said) as Blend);
    return () => offer(undefined);
  }, [offer, said]);
}

/**
 * An intent with one end of a blend, alone: what it is compared with does not matter to it. Faces are restored in the whole picture,
 * whatever the rail is about.
 */
export function endOf(intent: Intent, scope: Scope, end: Partial<Intent>): Intent {
  const ofFaces = "faces" in end || "own_faces" in end;
  return { ...intent, ...(ofFaces ? end : changeIn(intent, scope, end)), alternatives: [] };
}
