/** The brush that marks what is worn. */

/** Half the width of the brush as it begins, as a share of the picture's shorter side: as wide as a hair is, and somewhat wider. */
export const HAIR = 0.006;

/** The narrowest and the widest, likewise. */
export const BRUSHES = { least: 0.002, most: 0.08, step: 0.002 };

/** Half the width of a brush in pixels of the original. */
export function brushRadius(share: number, size: { width: number; height: number }): number {
  return Math.max(1, share * Math.min(size.width, size.height));
}
