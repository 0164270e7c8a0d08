/** Marks by hand: a brush that says of a place of a print that it is worn, or that it is sound. */

import { useMemo } from "react";
import type { Affine, Repair } from "../api/client";
import { inverse, through } from "../stage/affine";
import { Brush, type Point } from "../stage/tools";
import { brushRadius } from "./brush";
import type { IntentControl } from "./state";

/** What is to be repaired after a stroke; places are on the original. Nothing where Repair is off. */
export function marked(
  repair: Repair | undefined,
  points: Point[],
  radius: number,
  sound: boolean,
): Repair | undefined {
  if (!repair?.wear || points.length === 0) return undefined;
  const stroke = { points, radius, feather: 0, erases: sound };
  return { ...repair, wear: { ...repair.wear, strokes: [...(repair.wear.strokes ?? []), stroke] } };
}

/** Without the last stroke. */
export function unmarked(repair: Repair): Repair {
  return repair.wear ? { ...repair, wear: { ...repair.wear, strokes: repair.wear.strokes?.slice(0, -1) } } : repair;
}

export function useMarkTool(
  marking: "worn" | "sound" | undefined,
  share: number,
  place: Affine | undefined,
  size: { width: number; height: number },
  { intent, change }: IntentControl,
) {
  return useMemo(() => {
    if (!marking || !place) return undefined;
    const radius = brushRadius(share, size);
    const back = inverse(place);
    return new Brush(radius, marking === "sound", (points) => {
      const repair = marked(
        intent.repair,
        points.map((p) => through(back, p)),
        radius,
        marking === "sound",
      );
      if (repair) change({ repair });
    });
  }, [marking, share, place, size, intent.repair, change]);
}
