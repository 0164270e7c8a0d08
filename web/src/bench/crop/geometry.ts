/**
 * The geometry of cropping, in pixels of the turned picture; the server's own rules.
 *
 * Plain functions without React.
 */

import type { Frame, Size } from "../../api/client";

export interface Rect {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** What arithmetic may leave of a pixel: no row of the picture is lost to it. */
const ROUNDING = 1e-6;

/** How far a corner may lie beyond the edge after straightening, in pixels: there the edge itself is repeated, as the server allows. */
const REPEATED = 0.5;

/** The size after quarter turns. */
export function turnedSize(original: Size, frame: Frame): Size {
  return (frame.quarter_turns ?? 0) % 2 === 1 ? { width: original.height, height: original.width } : original;
}

/** Where a place of the straightened picture lies in the merely turned one. */
function straightToTurned(turned: Size, degrees: number, x: number, y: number): [number, number] {
  const [sin, cos] = [Math.sin((degrees * Math.PI) / 180), Math.cos((degrees * Math.PI) / 180)];
  const [cx, cy] = [turned.width / 2, turned.height / 2];
  const [dx, dy] = [x - cx, y - cy];
  return [cx + dx * cos + dy * sin, cy - dx * sin + dy * cos];
}

/** Whether a rectangle lies in the picture and straightening has left all its corners full. */
export function isFull(rect: Rect, turned: Size, degrees: number): boolean {
  const [right, bottom] = [rect.x + rect.width, rect.y + rect.height];
  if (Math.min(rect.x, rect.y, turned.width - right, turned.height - bottom) < -ROUNDING) return false;
  if (degrees === 0) return true;
  const corners = [
    [rect.x, rect.y],
    [right, rect.y],
    [rect.x, bottom],
    [right, bottom],
  ] as const;
  return corners.every(([x, y]) => {
    const [tx, ty] = straightToTurned(turned, degrees, x, y);
    return Math.min(tx, ty, turned.width - tx, turned.height - ty) >= -REPEATED;
  });
}

/** The rectangle, shrunk around its middle as little as it needs to be full. */
export function shrunkToFull(rect: Rect, turned: Size, degrees: number): Rect {
  const [cx, cy] = [rect.x + rect.width / 2, rect.y + rect.height / 2];
  const [mx, my] = straightToTurned(turned, degrees, cx, cy);
  /** The share of the way from the middle to a corner that stays between 0 and an end. */
  const share = (middle: number, corner: number, end: number) => {
    const way = corner - middle;
    if (way === 0) return 1;
    return (way > 0 ? end - middle : middle) / Math.abs(way);
  };
  const shares = [-1, 1].flatMap((sx) =>
    [-1, 1].flatMap((sy) => {
      const [x, y] = [cx + (sx * rect.width) / 2, cy + (sy * rect.height) / 2];
      const [tx, ty] = straightToTurned(turned, degrees, x, y);
      return [
        share(mx, tx, turned.width),
        share(my, ty, turned.height),
        share(cx, x, turned.width),
        share(cy, y, turned.height),
      ];
    }),
  );
  const least = Math.max(0, Math.min(1, ...shares));
  const [width, height] = [Math.max(1, rect.width * least), Math.max(1, rect.height * least)];
  return { x: cx - width / 2, y: cy - height / 2, width, height };
}

/** The largest full rectangle of a proportion (width / height) around the picture's middle. */
export function largest(turned: Size, degrees: number, proportion: number): Rect {
  const width = Math.min(turned.width, turned.height * proportion);
  const height = width / proportion;
  const rect = { x: (turned.width - width) / 2, y: (turned.height - height) / 2, width, height };
  return shrunkToFull(rect, turned, degrees);
}

/** In whole pixels, never outside. */
export function inPixels(rect: Rect, turned: Size): Rect {
  const along = (from: number, extent: number, all: number): [number, number] => {
    const start = Math.max(0, Math.min(Math.ceil(from - ROUNDING), all - 1));
    return [start, Math.max(1, Math.min(Math.floor(from + extent + ROUNDING) - start, all - start))];
  };
  const [x, width] = along(rect.x, rect.width, turned.width);
  const [y, height] = along(rect.y, rect.height, turned.height);
  return { x, y, width, height };
}

/** A side or corner of a rectangle that is dragged: -1, 0 or 1 across and down. */
export type Grip = readonly [-1 | 0 | 1, -1 | 0 | 1];

/**
 * The rectangle after its grip was dragged by (dx, dy), keeping a proportion if one is given.
 *
 * What would not be full is not taken: the rectangle stays as it is.
 */
export function dragged(
  rect: Rect,
  grip: Grip,
  dx: number,
  dy: number,
  turned: Size,
  degrees: number,
  proportion?: number,
): Rect {
  const [gx, gy] = grip;
  if (gx === 0 && gy === 0) {
    const moved = { ...rect, x: rect.x + dx, y: rect.y + dy };
    if (isFull(moved, turned, degrees)) return moved;
    // Along the edge, if not across it.
    const across = { ...rect, x: rect.x + dx };
    if (isFull(across, turned, degrees)) return across;
    const down = { ...rect, y: rect.y + dy };
    return isFull(down, turned, degrees) ? down : rect;
  }
  let width = rect.width + gx * dx;
  let height = rect.height + gy * dy;
  if (proportion !== undefined) {
    if (gx === 0) width = height * proportion;
    else if (gy === 0) height = width / proportion;
    else if (width / height > proportion) width = height * proportion;
    else height = width / proportion;
  }
  if (width < 16 || height < 16) return rect;
  const x = gx < 0 ? rect.x + rect.width - width : gx > 0 ? rect.x : rect.x + (rect.width - width) / 2;
  const y = gy < 0 ? rect.y + rect.height - height : gy > 0 ? rect.y : rect.y + (rect.height - height) / 2;
  const next = { x, y, width, height };
  return isFull(next, turned, degrees) ? next : rect;
}
