/** The first look is at the picture: what stands around it is drawn once its first pixels are there, and until then its room is kept free. */

import { Box } from "@mui/material";
import {
  type ReactNode,
  createContext,
  startTransition,
  useCallback,
  useContext,
  useEffect,
  useMemo,
  useState,
} from "react";

/** How long the rest of the page waits for the picture. */
const PATIENCE_MS = 1500;

interface Look {
  over: boolean;
  end: () => void;
}

const Current = createContext<Look>({ over: true, end: () => undefined });

/** `awaited` is whether a picture is about to be shown. */
export function FirstLook({ awaited, children }: { awaited: boolean; children: ReactNode }) {
  const [over, setOver] = useState(!awaited);
  const end = useCallback(() => startTransition(() => setOver(true)), []);
  useEffect(() => {
    const timer = setTimeout(end, PATIENCE_MS);
    return () => clearTimeout(timer);
  }, [end]);
  return <Current value={useMemo(() => ({ over, end }), [over, end])}>{children}</Current>;
}

/** Ends the first look once something is there. */
export function useEndsFirstLook(there: boolean): void {
  const { over, end } = useContext(Current);
  useEffect(() => {
    if (there && !over) end();
  }, [there, over, end]);
}

/** What comes after the first look; `height` or `width`, in pixels, is kept free for it. */
export function AfterFirstLook(props: { height?: number; width?: number; children: ReactNode }) {
  const { height, width } = props;
  if (useContext(Current).over) return props.children;
  return <Box sx={{ height, width, flexShrink: 0, bgcolor: "background.paper" }} />;
}
