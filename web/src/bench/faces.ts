/** The faces of a picture: those that were found, as the person changed them. */

import { rules } from "../api/rules";
import type { Model, OwnFace, Plan, Intent } from "../api/client";
import type { Point } from "../stage/tools";

/** How far faces are restored when the step is switched on: what the restorer's card suggests, by what was measured with it. */
export function usualStrength(models: Model[]): number {
  return models.find((model) => model.card.kind === "face")?.card.strength ?? 0.5;
}

/** Each with what is particular to it, in the order of the plan. */
export function ownFaces(intent: Intent, plan: Plan | undefined): OwnFace[] {
  return intent.own_faces ?? (plan?.faces ?? []).map(({ face }) => ({ face, on: true }));
}

export function changedFace(faces: OwnFace[], index: number, part: Partial<OwnFace>): OwnFace[] {
  return faces.map((face, i) => (i === index ? { ...face, ...part } : face));
}

export function withoutFace(faces: OwnFace[], index: number): OwnFace[] {
  return faces.filter((_, i) => i !== index);
}

/** A face that a hand drew from eye to eye on the original, whichever it began with; nothing when it hardly moved. */
export function drawnFace(from: Point, to: Point): OwnFace | undefined {
  const [left, right] = from.x <= to.x ? [from, to] : [to, from];
  const [dx, dy] = [right.x - left.x, right.y - left.y];
  if (Math.hypot(dx, dy) < 4) return undefined;
  const mouth = {
    x: (left.x + right.x) / 2 - dy * rules().faces.mouth_below_eyes,
    y: (left.y + right.y) / 2 + dx * rules().faces.mouth_below_eyes,
  };
  return { face: { left_eye: left, right_eye: right, mouth }, on: true };
}

/** Where a face is marked: its middle, and how far it reaches from there, in pixels of the original. */
export function around({ face }: OwnFace): Point & { reach: number } {
  const { left_eye: l, right_eye: r, mouth: m } = face;
  const eyes = Math.max(
    Math.hypot(r.x - l.x, r.y - l.y),
    Math.hypot(m.x - (l.x + r.x) / 2, m.y - (l.y + r.y) / 2) / rules().faces.mouth_below_eyes,
  );
  return { x: (l.x + r.x + m.x) / 3, y: (l.y + r.y + m.y) / 3, reach: eyes * 1.4 };
}
