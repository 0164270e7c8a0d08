/** Addresses: which view, which order, which picture; and what is looked at in it. */

import { useCallback, useMemo } from "react";
import { useLocation, useNavigate } from "react-router";

export const VIEWS = ["orders", "bench", "strip", "runs", "shelf", "settings"] as const;
export type ViewName = (typeof VIEWS)[number];

export interface Place {
  view: ViewName;
  order?: number;
  picture?: number;
}

const PATTERNS: [RegExp, (found: number[]) => Place][] = [
  [/^\/orders$/, () => ({ view: "orders" })],
  [/^\/orders\/(\d+)$/, ([order]) => ({ view: "orders", order })],
  [/^\/orders\/(\d+)\/bench$/, ([order]) => ({ view: "bench", order })],
  [/^\/orders\/(\d+)\/strip$/, ([order]) => ({ view: "strip", order })],
  [/^\/orders\/(\d+)\/pictures\/(\d+)$/, ([order, picture]) => ({ view: "bench", order, picture })],
  [/^\/orders\/(\d+)\/pictures\/(\d+)\/strip$/, ([order, picture]) => ({ view: "strip", order, picture })],
  [/^\/runs$/, () => ({ view: "runs" })],
  [/^\/shelf$/, () => ({ view: "shelf" })],
  [/^\/settings$/, () => ({ view: "settings" })],
];

/** The place that a path leads to; nothing for one that leads nowhere. */
export function placeOf(path: string): Place | undefined {
  const trimmed = path.length > 1 ? path.replace(/\/+$/, "") : path;
  for (const [pattern, place] of PATTERNS) {
    const found = pattern.exec(trimmed);
    if (found) return place(found.slice(1).map(Number));
  }
  return undefined;
}

export function pathOf({ view, order, picture }: Place): string {
  if (view === "runs" || view === "shelf" || view === "settings") return `/${view}`;
  if (order === undefined) return "/orders";
  if (view === "orders") return `/orders/${order}`;
  if (picture === undefined) return `/orders/${order}/${view}`;
  return `/orders/${order}/pictures/${picture}${view === "strip" ? "/strip" : ""}`;
}

/** Where one is, and how one goes elsewhere: what replaces the present place is not gone back to. */
export function usePlace(): [Place | undefined, (place: Place, how?: { replace?: boolean }) => void] {
  const { pathname } = useLocation();
  const navigate = useNavigate();
  const place = useMemo(() => placeOf(pathname), [pathname]);
  const go = useCallback(
    (next: Place, how?: { replace?: boolean }) => {
      const path = pathOf(next);
      // Where one is already, there is nothing to go back from.
      if (path !== window.location.pathname) void navigate(path, how);
    },
    [navigate],
  );
  return [place, go];
}
