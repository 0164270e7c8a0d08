import { describe, expect, it, vi } from "vitest";
import {
  AT_ONCE,
  type Candidate,
  type Loader,
  TILE,
  TileStore,
  divided,
  levelFor,
  placesIn,
  viewOf,
  viewSize,
} from "./tiles";

const candidate: Candidate = {
  base: "/t",
  size: { width: 3600, height: 2400 },
  original: { width: 900, height: 600 },
};
const whole = { left: 0, top: 0, right: 900, bottom: 600 };

describe("levels", () => {
  it.each([
    [4, 0],
    [16, 0],
    [2.1, 0],
    [2, 1],
    [1, 2],
    [0.1, 4],
  ])("at %d device pixels per original pixel the level is %d", (scale, level) => {
    expect(levelFor(candidate, { x: 0, y: 0, scale })).toBe(level);
  });

  it("have the server's sizes", () => {
    expect(viewSize({ width: 3601, height: 3 }, 1)).toEqual({ width: 1801, height: 2 });
    expect(viewSize({ width: 3600, height: 1 }, 9)).toEqual({ width: 8, height: 1 });
  });
});

describe("places", () => {
  it("cover the whole picture, from the middle outwards", () => {
    const places = placesIn(candidate, 0, whole);
    const [columns, rows] = [Math.ceil(3600 / TILE), Math.ceil(2400 / TILE)];
    expect(places).toHaveLength(columns * rows);
    // The middle of the picture lies on the first.
    expect(places[0]).toEqual({ level: 0, column: Math.floor(1800 / TILE), row: Math.floor(1200 / TILE) });
    expect(new Set(places.map((p) => `${p.column},${p.row}`)).size).toBe(columns * rows);
  });

  it("are only those that a part falls on", () => {
    const side = TILE / 4;
    const part = { left: side, top: 2 * side, right: 2 * side, bottom: 3 * side };
    expect(placesIn(candidate, 0, part)).toEqual([{ level: 0, column: 1, row: 2 }]);
  });
});

describe("a view under a curtain", () => {
  const pane = { width: 1200, height: 700 };
  const camera = { x: 450, y: 300, scale: 4 };
  const view = viewOf(candidate, camera, { left: 300, top: 212.5, right: 600, bottom: 387.5 });
  const columns = (places: { column: number }[]) => [...new Set(places.map((p) => p.column))].sort((a, b) => a - b);

  it("is divided where the curtain hangs, and a tile that it crosses is seen on both sides", () => {
    // The pane shows the result from 1200 to 2400 px: columns 4 to 9, the curtain at 1800 px hangs in column 7.
    const [left, hiddenRight] = divided(view, camera, pane, { left: 0, top: 0, right: 600, bottom: 700 });
    const [right, hiddenLeft] = divided(view, camera, pane, { left: 600, top: 0, right: 1200, bottom: 700 });
    expect([left, hiddenRight, right, hiddenLeft].map((part) => columns(part.places))).toEqual([
      [4, 5, 6, 7],
      [8, 9],
      [7, 8, 9],
      [4, 5, 6],
    ]);
    expect(left.places.length + hiddenRight.places.length).toBe(view.places.length);
  });

  it("is not divided where all of it is seen", () => {
    const [all, none] = divided(view, camera, pane, { left: 0, top: 0, right: 1200, bottom: 700 });
    expect([all.places, none.places]).toEqual([view.places, []]);
  });
});

/** A server that answers when it is told to. */
function slowServer() {
  const asked: { address: string; answer: () => void; signal: AbortSignal }[] = [];
  const load = (address: string, signal: AbortSignal) =>
    new Promise<ImageBitmap>((resolve, reject) => {
      signal.addEventListener("abort", () => reject(new Error("aborted")));
      const bitmap = { close: vi.fn() } as unknown as ImageBitmap;
      asked.push({ address, signal, answer: () => resolve(bitmap) });
    });
  return { asked, load };
}

const settle = () => new Promise((resolve) => setTimeout(resolve, 0));

describe("store", () => {
  const places = placesIn(candidate, 0, whole);

  it("asks for a few at a time, the middle first, and each once", async () => {
    const { asked, load } = slowServer();
    const changed = vi.fn();
    const store = new TileStore(changed, load);
    store.want([{ candidate, places }]);
    store.want([{ candidate, places }]);
    expect(asked.map((a) => a.address)).toEqual(places.slice(0, AT_ONCE).map((p) => `/t/0/${p.column}/${p.row}`));
    asked[0]?.answer();
    await settle();
    expect(asked).toHaveLength(AT_ONCE + 1);
    expect(changed).toHaveBeenCalledOnce();
    expect(store.standing(candidate, places)).toEqual({ ready: 1, needed: places.length });
  });

  it("asks for what comes later once all that is in view is on its way, and tells when a view is whole", async () => {
    const { asked, load } = slowServer();
    const store = new TileStore(() => undefined, load);
    const end: Candidate = { ...candidate, base: "/end" };
    const [first, second] = [places.slice(0, 2), places.slice(0, 1)];
    store.want([{ candidate, places: first }], [{ candidate: end, places: second }]);
    expect(asked.map((a) => a.address.split("/")[1])).toEqual(["t", "t", "end"]);
    asked[2]?.answer();
    await settle();
    expect(store.isWhole({ candidate: end, places: second })).toBe(true);
    expect(store.isWhole({ candidate, places: first })).toBe(false);
  });

  it("has all of a group on its way before the next, so that a draft is seen before what it stands in for", () => {
    const { asked, load } = slowServer();
    const store = new TileStore(() => undefined, load);
    const draft: Candidate = { ...candidate, base: "/draft" };
    store.want([{ candidate: draft, places: places.slice(0, 2) }], [{ candidate, places }], []);
    expect(asked.map((a) => a.address.split("/")[1])).toEqual(["draft", "draft", "t"]);
  });

  it("says with each tile which ones are looked at together", () => {
    const load = vi.fn<Loader>(() => new Promise(() => undefined));
    const store = new TileStore(() => undefined, load);
    const two = [
      { level: 0, column: 4, row: 3 },
      { level: 0, column: 6, row: 5 },
    ];
    store.want([{ candidate, places: two }]);
    expect(load.mock.calls.map(([, , together]) => together)).toEqual(["4-6,3-5", "4-6,3-5"]);
  });

  it("gives up what is no longer in view and keeps what arrived", async () => {
    const { asked, load } = slowServer();
    const store = new TileStore(() => undefined, load);
    store.want([{ candidate, places: places.slice(0, 3) }]);
    asked[0]?.answer();
    await settle();
    store.want([{ candidate, places: places.slice(10, 12) }]);
    expect(asked[1]?.signal.aborted).toBe(true);
    await settle();
    store.want([{ candidate, places: places.slice(0, 3) }]);
    const first = places[0];
    expect(first && store.get(candidate, first)).toBeDefined();
    expect(asked.filter((a) => a.address === asked[0]?.address)).toHaveLength(1);
  });

  it("serves two candidates in turn", () => {
    const { asked, load } = slowServer();
    const other = { ...candidate, base: "/u" };
    const store = new TileStore(() => undefined, load);
    store.want([
      { candidate, places },
      { candidate: other, places },
    ]);
    expect(asked.map((a) => a.address[1])).toEqual(["t", "u", "t", "u"].slice(0, AT_ONCE));
  });
});
