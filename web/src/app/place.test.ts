import { describe, expect, it } from "vitest";
import { type Place, pathOf, placeOf } from "./place";

describe("an address", () => {
  it.each<[string, Place]>([
    ["/orders", { view: "orders" }],
    ["/orders/3", { view: "orders", order: 3 }],
    ["/orders/3/bench", { view: "bench", order: 3 }],
    ["/orders/3/pictures/17", { view: "bench", order: 3, picture: 17 }],
    ["/orders/3/pictures/17/strip", { view: "strip", order: 3, picture: 17 }],
    ["/runs", { view: "runs" }],
    ["/shelf", { view: "shelf" }],
    ["/settings", { view: "settings" }],
  ])("%s leads to a place and comes from it", (path, place) => {
    expect(placeOf(path)).toEqual(place);
    expect(placeOf(`${path}/`)).toEqual(place);
    expect(pathOf(place)).toBe(path);
  });

  it.each(["/", "/orders/x", "/orders/3/pictures", "/runs/4", "/orders/3/pictures/17/more"])(
    "%s leads nowhere",
    (path) => expect(placeOf(path)).toBeUndefined(),
  );
});
