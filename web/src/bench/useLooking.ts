/** The address follows what is looked at, so that a link or a reload shows the same. */

import { useEffect } from "react";
import { useLocation, useNavigate } from "react-router";
import type { Seen } from "../stage/stage";
import type { Spotted } from "./looking";
import { lookingText } from "./looking";
import { useBench, useBenchStore } from "./state";

/** Where a view is, as an address says it; nothing while nobody has moved it from where the picture opened. */
function placeOf(seen: Seen): Spotted {
  return seen.middle ? { ...seen.middle, zoom: seen.zoom } : "whole";
}

/** `rested` is what was shown when the view last rested; `moved`, whether a person has moved it since the picture opened. */
export function useLooking(rested: Seen, moved: boolean, active: boolean): void {
  const store = useBenchStore();
  const { at, layout, panes } = useBench((state) => state);
  useEffect(() => {
    if (!moved || !rested.panes.length) return;
    const next = placeOf(rested);
    const known = store.getState().at;
    if (typeof known === "object" && "spot" in known) return;
    if (JSON.stringify(known) !== JSON.stringify(next)) store.setState({ at: next });
  }, [store, rested, moved]);

  const navigate = useNavigate();
  const { pathname, search } = useLocation();
  const text = lookingText({ at, compare: layout, panes });
  useEffect(() => {
    // The window knows of a change of path that is still on its way here.
    const now = window.location;
    if (active && now.search !== `?${text}`) void navigate({ pathname: now.pathname, search: text }, { replace: true });
  }, [active, navigate, pathname, search, text]);
}
