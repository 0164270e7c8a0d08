/** How a person looks at pictures on this screen: kept in the browser. */

import { useKept } from "../app/kept";
import { GROUNDS } from "../look/tokens";

/** How this person's screen shows things. */
export interface ViewSettings {
  smooth: boolean;
  ground: string;
  blinkMs: number;
  /** CSS pixels per inch of the screen; nothing until it was measured. */
  screenPpi?: number;
  /** From how far the person looks at the screen, in metres. */
  eyeM: number;
}

const USUAL: ViewSettings = { smooth: false, ground: GROUNDS[0].shade, blinkMs: 700, eyeM: 0.6 };

export function useViewSettings(): [ViewSettings, (change: Partial<ViewSettings>) => void] {
  const [kept, keep] = useKept<Partial<ViewSettings>>("view-settings", {});
  const settings = { ...USUAL, ...kept };
  return [settings, (change) => keep({ ...kept, ...change })];
}
