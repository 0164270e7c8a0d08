/** Figures as people read them: thin spaces in thousands, units always there. */

const THIN = "\u2009";

/** "5 669" with thin spaces. */
export function whole(value: number): string {
  return Math.round(value)
    .toString()
    .replace(/\B(?=(\d{3})+(?!\d))/g, THIN);
}

/** At most `digits` decimals, no trailing zeros. */
export function decimal(value: number, digits = 2): string {
  return Number(value.toFixed(digits)).toString();
}

/** A share of 0 to 1, in whole hundredths. */
export const percent = (share: number): string => `${Math.round(share * 100)} %`;

/** The arithmetic mean of some values; there is one at least. */
export const mean = (values: number[]): number => values.reduce((a, b) => a + b, 0) / values.length;

/** "1 picture", "12 pictures". */
export const counted = (count: number, one: string): string => `${count} ${count === 1 ? one : `${one}s`}`;

export function pixels(size: { width: number; height: number }): string {
  return `${whole(size.width)} × ${whole(size.height)} px`;
}

/** "41 MB", "820 kB". */
export function bytes(count: number): string {
  if (count >= 1e9) return `${decimal(count / 1e9)} GB`;
  if (count >= 1e7) return `${whole(count / 1e6)} MB`;
  if (count >= 1e6) return `${decimal(count / 1e6, 1)} MB`;
  return `${whole(Math.max(1, count / 1e3))} kB`;
}

/** "12 s", "3 min", "1 h 20 min". */
export function duration(seconds: number): string {
  if (seconds < 1) return "1 s";
  if (seconds < 90) return `${Math.round(seconds)} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 90) return `${minutes} min`;
  return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

/** "0.9 m", "25 cm". */
export function distance(metres: number): string {
  return metres < 1 ? `${Math.round(metres * 100)} cm` : `${decimal(metres, 1)} m`;
}
