/**
 * The tiles of one candidate: which are needed, which are here, and what to draw meanwhile.
 *
 * Plain TypeScript without React: it runs while a hand moves the picture. Tiles are asked for from the
 * middle of the view outwards, a few at a time; requests for what is no longer in view are given up, and
 * with them the server's work. What arrived stays, until memory is short.
 */

import { type Box, type Camera, type Extent, toPane } from "./camera";

/** Side of a tile in pixels of the view; the server's. */
export const TILE = 256;

/**
 * How many requests are under way at once: enough to keep the server busy, few enough to change course. A browser keeps
 * six connections to a server, of which the events take one: what the person asks for must not wait behind tiles.
 */
export const AT_ONCE = 3;

/** Tiles that stay: each takes a quarter of a megabyte. */
const KEPT = 1280;

/** Where a candidate's tiles come from. */
export interface Candidate {
  /** Address of its tiles, without level, column and row. */
  base: string;
  /** Size of the result. */
  size: Extent;
  /** Size of the original. */
  original: Extent;
  /** Asked of the server besides, such as "?show=edges". */
  query?: string;
  /** The same by quicker models: shown of a view that nothing is there of yet. */
  draft?: Candidate;
  /** While a control moves that only blends: what stands in for the tiles until they are there. */
  mix?: Mix;
}

/**
 * Both ends of a blend, mixed on the screen while the hand moves.
 *
 * What is blended before the edges are made crisper is mixed after it here: not the result's own pixels, but closer to them than
 * an eye tells, and there at once. The own pixels follow as soon as they are computed.
 */
export interface Mix {
  low: Candidate;
  high: Candidate;
  /** How much of the high end, 0 to 1. */
  share: number;
  /** The candidate's own tiles are those of this share. */
  settled: boolean;
}

export interface Place {
  level: number;
  column: number;
  row: number;
}

/** The result's size at 1 / 2^level, as the server reckons it. */
export function viewSize(size: Extent, level: number): Extent {
  const side = (px: number) => Math.max(1, Math.ceil(px / 2 ** level));
  return { width: side(size.width), height: side(size.height) };
}

/** The level whose pixels are no coarser than the screen's. */
export function levelFor(candidate: Candidate, camera: Camera): number {
  const perDevicePixel = candidate.size.width / candidate.original.width / camera.scale;
  const highest = Math.ceil(Math.log2(Math.max(candidate.size.width, candidate.size.height) / TILE));
  return Math.max(0, Math.min(Math.floor(Math.log2(perDevicePixel) + 1e-6), Math.max(0, highest)));
}

/** The tiles of a level that a part of the original falls on, from its middle outwards. */
export function placesIn(candidate: Candidate, level: number, part: Box): Place[] {
  const view = viewSize(candidate.size, level);
  const across = view.width / candidate.original.width;
  const down = view.height / candidate.original.height;
  const last = (px: number, side: number) => Math.min(Math.ceil(px / TILE), Math.ceil(side / TILE)) - 1;
  const places: Place[] = [];
  for (let row = Math.floor((part.top * down) / TILE); row <= last(part.bottom * down, view.height); row++) {
    for (
      let column = Math.floor((part.left * across) / TILE);
      column <= last(part.right * across, view.width);
      column++
    ) {
      places.push({ level, column, row });
    }
  }
  const [x, y] = [((part.left + part.right) / 2) * across, ((part.top + part.bottom) / 2) * down];
  const far = (p: Place) => Math.hypot((p.column + 0.5) * TILE - x, (p.row + 0.5) * TILE - y);
  return places.sort((a, b) => far(a) - far(b));
}

const addressOf = (candidate: Candidate, p: Place) =>
  `${candidate.base}/${p.level}/${p.column}/${p.row}${candidate.query ?? ""}`;

/** How much of a view is there. */
export interface Standing {
  ready: number;
  needed: number;
  /** What is shown meanwhile is by draft models. */
  draft?: boolean;
}

/** Loads a tile; separate, so that a test can stand in for the server. `together` says which tiles are looked at with it. */
export type Loader = (address: string, signal: AbortSignal, together?: string) => Promise<ImageBitmap>;

export const fromServer: Loader = async (address, signal, together) => {
  const response = await fetch(address, { signal, headers: together ? { "Tiles-In-View": together } : undefined });
  if (!response.ok) throw new Error(`${address}: ${response.status}`);
  return createImageBitmap(await response.blob());
};

/** A candidate's tiles that are wanted. */
type Wanted = Pick<View, "candidate" | "places">;

/** First and last column, first and last row of some tiles: what they have in common, the server computes once. */
function togetherOf(places: Place[]): string {
  const range = (numbers: number[]) => `${Math.min(...numbers)}-${Math.max(...numbers)}`;
  return `${range(places.map((p) => p.column))},${range(places.map((p) => p.row))}`;
}

/** The addresses of all lists, the first of each first. */
function inTurn(lists: Wanted[]): string[] {
  const queues = lists.map(({ candidate, places }) => places.map((p) => addressOf(candidate, p)));
  const longest = Math.max(0, ...queues.map((q) => q.length));
  return Array.from({ length: longest }, (_, i) => queues.flatMap((queue) => queue[i] ?? [])).flat();
}

/** Tiles that are here, on their way or wanted, for any number of candidates. */
export class TileStore {
  private readonly here = new Map<string, ImageBitmap>();
  private readonly coming = new Map<string, AbortController>();
  private readonly failed = new Map<string, number>();
  private wanted: string[] = [];
  private together = new Map<string, string>();

  constructor(
    private readonly changed: () => void,
    private readonly load: Loader = fromServer,
  ) {}

  get(candidate: Candidate, place: Place): ImageBitmap | undefined {
    return this.here.get(addressOf(candidate, place));
  }

  /**
   * Says what is in view now, and what comes after that: one group after the other, and of each group the most important tiles of
   * all its lists first. Everything else that is under way is given up.
   */
  want(...groups: Wanted[][]): void {
    this.wanted = groups.flatMap(inTurn);
    this.together = new Map(
      groups.flat().flatMap(({ candidate, places }) => {
        const together = togetherOf(places);
        return places.map((p) => [addressOf(candidate, p), together] as const);
      }),
    );
    const inView = new Set(this.wanted);
    for (const [address, controller] of this.coming) {
      if (!inView.has(address)) {
        controller.abort();
        this.coming.delete(address);
      }
    }
    for (const address of inView) {
      const bitmap = this.here.get(address);
      if (bitmap) {
        // To the end of the line of those that go.
        this.here.delete(address);
        this.here.set(address, bitmap);
      }
    }
    this.fetchMore();
  }

  standing(candidate: Candidate, places: Place[]): Standing {
    const ready = places.filter((p) => this.here.has(addressOf(candidate, p))).length;
    return { ready, needed: places.length };
  }

  isWhole({ candidate, places }: Wanted): boolean {
    const { ready, needed } = this.standing(candidate, places);
    return ready === needed;
  }

  private fetchMore(): void {
    for (const address of this.wanted) {
      if (this.coming.size >= AT_ONCE) return;
      if (this.here.has(address) || this.coming.has(address)) continue;
      if ((this.failed.get(address) ?? 0) > Date.now()) continue;
      void this.fetchOne(address);
    }
  }

  private async fetchOne(address: string): Promise<void> {
    const controller = new AbortController();
    this.coming.set(address, controller);
    try {
      const bitmap = await this.load(address, controller.signal, this.together.get(address));
      this.here.set(address, bitmap);
      this.forget();
      this.changed();
    } catch {
      if (!controller.signal.aborted) {
        // The server may be back in a moment; until then the place keeps what it shows.
        this.failed.set(address, Date.now() + 2000);
        setTimeout(() => this.fetchMore(), 2100);
      }
    } finally {
      if (this.coming.get(address) === controller) this.coming.delete(address);
      this.fetchMore();
    }
  }

  private forget(): void {
    const inView = new Set(this.wanted);
    for (const [address, bitmap] of this.here) {
      if (this.here.size <= KEPT) return;
      if (inView.has(address)) continue;
      bitmap.close();
      this.here.delete(address);
    }
  }
}

/** A candidate as a camera sees it: the level that serves best, and its tiles in view. */
export interface View {
  candidate: Candidate;
  level: number;
  places: Place[];
}

export function viewOf(candidate: Candidate, camera: Camera, part: Box | undefined): View {
  const level = levelFor(candidate, camera);
  return { candidate, level, places: part ? placesIn(candidate, level, part) : [] };
}

/** A view's tiles that show in a part of its pane, and those that do not. */
export function divided(view: View, camera: Camera, pane: Extent, part: Box): [shown: View, hidden: View] {
  const { candidate, level, places } = view;
  const size = viewSize(candidate.size, level);
  const [across, down] = [candidate.original.width / size.width, candidate.original.height / size.height];
  const shows = ({ column, row }: Place) => {
    const [left, top] = toPane(camera, pane, column * TILE * across, row * TILE * down);
    const [right, bottom] = toPane(camera, pane, (column + 1) * TILE * across, (row + 1) * TILE * down);
    return left < part.right && right > part.left && top < part.bottom && bottom > part.top;
  };
  const shown: Place[] = [];
  const hidden: Place[] = [];
  for (const place of places) (shows(place) ? shown : hidden).push(place);
  return [
    { ...view, places: shown },
    { ...view, places: hidden },
  ];
}

/** Draws what is here of a candidate: coarse levels first, finer ones over them. */
export function drawTiles(
  context: CanvasRenderingContext2D,
  store: TileStore,
  { candidate, level, places }: View,
  camera: Camera,
  pane: Extent,
  part: Box,
  smooth: boolean,
): void {
  const coarsest = store.isWhole({ candidate, places }) ? level : Math.min(level + 3, 12);
  for (let at = coarsest; at >= level; at--) {
    const view = viewSize(candidate.size, at);
    const [across, down] = [candidate.original.width / view.width, candidate.original.height / view.height];
    // Magnified pixels are shown as they are unless the person wants them smooth; shrunk ones are always smooth.
    context.imageSmoothingEnabled = smooth || camera.scale * across < 1;
    context.imageSmoothingQuality = "high";
    for (const place of at === level ? places : placesIn(candidate, at, part)) {
      const bitmap = store.get(candidate, place);
      if (!bitmap) continue;
      const [x0, y0] = toPane(camera, pane, place.column * TILE * across, place.row * TILE * down);
      const right = (place.column * TILE + bitmap.width) * across;
      const bottom = (place.row * TILE + bitmap.height) * down;
      const [x1, y1] = toPane(camera, pane, right, bottom);
      context.drawImage(bitmap, x0, y0, x1 - x0, y1 - y0);
    }
  }
}
