/** Which view, order and picture are shown: what the address says, or where one was last. */

import { useCallback, useEffect } from "react";
import { useLocation, useNavigate } from "react-router";
import type { Order } from "../api/client";
import { keep, recall, useKept } from "./kept";
import { type Place, type ViewName, pathOf, placeOf, usePlace } from "./place";

export interface Whereabouts {
  view?: ViewName;
  order?: number;
  /** The picture that the address or the last visit names; it may be none of the order's. */
  picture?: number;
  /** Whether the address itself names the picture. */
  exact: boolean;
  /** What is not there, in a sentence. */
  nowhere?: string;
  /** Goes to a place; what it leaves out stays as it is, and an order shows the picture that it showed last. */
  go: (place: Partial<Place>, how?: { replace?: boolean }) => void;
}

const LAST = "last-address";

/** Under what the pictures that were seen last are kept, by their order. */
export const LAST_PICTURES = "pictures";

/** The address that was left last, as far as it still leads somewhere. */
function lastAddress(orders: Order[]): string | undefined {
  const last = recall<string>(LAST);
  const place = last === undefined ? undefined : placeOf(last.split("?")[0] ?? "");
  return place && (place.order === undefined || orders.some((o) => o.id === place.order)) ? last : undefined;
}

/** Where one begins who says nothing: where one was last, else at the newest order. */
export function startOf(orders: Order[]): string | undefined {
  const first = orders[0];
  return first && (lastAddress(orders) ?? pathOf({ view: "bench", order: first.id }));
}

export function useWhereabouts(orders: Order[] | undefined): Whereabouts {
  const { pathname, search } = useLocation();
  const navigate = useNavigate();
  const [place, goTo] = usePlace();
  const [keptOrder, keepOrder] = useKept<number | undefined>("order", undefined);
  const [pictures, keepPictures] = useKept<Record<number, number>>(LAST_PICTURES, {});

  const isKnown = (id: number | undefined) => orders?.some((o) => o.id === id) ?? false;
  const order = place?.order ?? (isKnown(keptOrder) ? keptOrder : orders?.[0]?.id);
  const picture = place?.picture ?? (order === undefined ? undefined : pictures[order]);

  // Views of no order in particular lead back to the one that was last worked on.
  useEffect(() => {
    if (place?.order === undefined) return;
    if (place.order !== keptOrder) keepOrder(place.order);
    if (place.picture !== undefined && pictures[place.order] !== place.picture)
      keepPictures({ ...pictures, [place.order]: place.picture });
  }, [place, keptOrder, keepOrder, pictures, keepPictures]);
  useEffect(() => {
    if (place) keep(LAST, `${pathname}${search}`);
  }, [place, pathname, search]);

  const bare = pathname === "/";
  useEffect(() => {
    const start = bare && orders ? startOf(orders) : undefined;
    if (start !== undefined) void navigate(start, { replace: true });
  }, [bare, orders, navigate]);

  const view = place?.view;
  const go = useCallback(
    (next: Partial<Place>, how?: { replace?: boolean }) => {
      const to = next.order ?? order;
      const kept = to === undefined ? undefined : to === order ? picture : pictures[to];
      goTo({ view: next.view ?? view ?? "bench", order: to, picture: next.picture ?? kept }, how);
    },
    [goTo, order, picture, pictures, view],
  );

  const nowhere =
    !place && !bare
      ? "This address leads nowhere."
      : place?.order !== undefined && orders && !isKnown(place.order)
        ? "There is no such order, or it was removed."
        : undefined;
  return { view, order, picture, exact: place?.picture !== undefined, nowhere, go };
}
