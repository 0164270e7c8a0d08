/** The band above the rail, in which one card's controls lie open. */

import { Box } from "@mui/material";
import { type ReactNode, createContext, useContext, useMemo, useState } from "react";

interface Band {
  /** Where the open card's controls are put. */
  slot: HTMLElement | null;
  /** The name of the card that is open. */
  open?: string;
  show: (name: string | undefined) => void;
}

const BandContext = createContext<Band | undefined>(undefined);

/** The band that a card opens in; without one its controls lie beside it. */
export const useBand = () => useContext(BandContext);

/** A rail with its band. */
export function WithBand(props: { open?: string; onOpen: (name: string | undefined) => void; children: ReactNode }) {
  const { open, onOpen } = props;
  const [slot, setSlot] = useState<HTMLElement | null>(null);
  const band = useMemo(() => ({ slot, open, show: onOpen }), [slot, open, onOpen]);
  return (
    <BandContext value={band}>
      <Box ref={setSlot} sx={{ flexShrink: 0 }} />
      {props.children}
    </BandContext>
  );
}
