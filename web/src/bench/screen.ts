/** What the screen is worth against paper. */

/** Length of the line by which a screen is measured: the long side of a bank card (ISO/IEC 7810 ID-1), in millimetres. */
export const CARD_MM = 85.6;

/** Zoom at which an inch of the print takes an inch of a screen of so many CSS pixels per inch. */
export function paperZoom(screenPpi: number, printPpi: number, devicePixelRatio: number): number {
  return (screenPpi * devicePixelRatio) / printPpi;
}

/** CSS pixels per inch of a screen on which a card is so many CSS pixels long. */
export function screenPpi(cardPixels: number): number {
  return (cardPixels / CARD_MM) * 25.4;
}
