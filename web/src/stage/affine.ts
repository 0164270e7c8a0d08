/** Places on an original and on its sheet: the server tells the map, the front end only applies it. */

import type { Affine } from "../api/client";
import type { Point } from "./tools";

export function through(map: Affine, { x, y }: Point): Point {
  return { x: map.xx * x + map.xy * y + map.x0, y: map.yx * x + map.yy * y + map.y0 };
}

export function inverse(map: Affine): Affine {
  const area = map.xx * map.yy - map.xy * map.yx;
  const [xx, xy, yx, yy] = [map.yy / area, -map.xy / area, -map.yx / area, map.xx / area];
  return { xx, xy, yx, yy, x0: -(xx * map.x0 + xy * map.y0), y0: -(yx * map.x0 + yy * map.y0) };
}

/** Every place onto itself. */
export const IDENTITY: Affine = { xx: 1, xy: 0, yx: 0, yy: 1, x0: 0, y0: 0 };
