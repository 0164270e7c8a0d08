/**
 * What the first view shows is asked for before anything is drawn: were each answer drawn before the next question, a person would wait for
 * every one of those drawings before the picture.
 */

import type { QueryClient } from "@tanstack/react-query";
import { answered, api } from "../api/client";
import { handOver, modelsQuery, openingQuery, orderQuery, ordersQuery, planQuery } from "../api/queries";
import { recall } from "./kept";
import { pathOf, placeOf } from "./place";
import { LAST_PICTURES, startOf } from "./whereabouts";

/** How long the page waits for it before it is drawn with what is there. */
const PATIENCE_MS = 800;

/**
 * Goes where the address leads, to the picture itself, and asks for all that is shown of it. Answers whether a picture is about to be shown; what
 * could not be had, the views ask for again.
 */
export function prepareFirst(client: QueryClient): Promise<boolean> {
  const asked = Promise.all([askOfPicture(client), client.prefetchQuery(modelsQuery)]);
  const late = new Promise<boolean>((done) => setTimeout(() => done(false), PATIENCE_MS));
  return Promise.race([asked.then(([awaited]) => awaited).catch(() => false), late]);
}

/** Answers whether it is a picture on the bench that the address leads to. */
async function askOfPicture(client: QueryClient): Promise<boolean> {
  const orders = await client.fetchQuery(ordersQuery);
  const { pathname, search } = window.location;
  const start = pathname === "/" ? startOf(orders) : undefined;
  if (start !== undefined) replace(start);
  const place = placeOf(window.location.pathname);
  if (place?.order === undefined) return false;
  const { originals } = await client.fetchQuery(orderQuery(place.order));
  if (place.view !== "bench" && place.view !== "strip") return false;
  const last = recall<Record<number, number>>(LAST_PICTURES)?.[place.order];
  const named = place.picture ?? (originals.some((o) => o.id === last) ? last : originals[0]?.id);
  if (named === undefined || !originals.some((o) => o.id === named)) return false;
  if (place.picture === undefined) replace(pathOf({ ...place, picture: named }) + search);
  const path = { id: named };
  const [intent] = await Promise.all([
    answered(api.GET("/api/v1/originals/{id}/intent", { params: { path } })),
    client.prefetchQuery(openingQuery(named)),
  ]);
  handOver(named, intent);
  await client.prefetchQuery(planQuery(named, intent));
  return place.view === "bench";
}

function replace(address: string): void {
  window.history.replaceState(null, "", address);
}
