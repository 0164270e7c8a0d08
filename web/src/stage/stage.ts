/**
 * The light table: draws one to six candidates under one camera, and moves with hand, wheel and keys.
 *
 * Without React: it draws at most once a frame, and tells those who listen when something to be shown
 * beside the canvas has changed.
 */

import {
  type Box,
  type Camera,
  type Extent,
  filled,
  fit,
  held,
  pan,
  snapped,
  toPicture,
  visible,
  zoomAt,
} from "./camera";
import { type At, Hand, type Table } from "./hand";
import { type Cell, type Layout, PANES, cellAt, cells, paneOf } from "./layout";
import { loupeAt } from "./loupe";
import { type Layer, type Loupe, type Mark, Painter, whole } from "./paint";
import { type Candidate, type Standing, TileStore, type View, divided, viewOf } from "./tiles";
import type { Point, Tool } from "./tools";

/** Zoom in terms of the print: 1 is one of its pixels per device pixel. */
export const ZOOM_RANGE = [0.02, 8] as const;

/** A place of the sheet at a zoom in terms of the print; 1, and as much picture as there is room for, when not given. Or all of it. */
export type Opening = (Point & { zoom?: number }) | "whole";

/** What is on the table. */
export interface Subject {
  /** The sheet in pixels of the original: what all panes have in common. */
  original: Extent;
  /** Pixels of the print per pixel of the original. */
  factor: number;
  /** What each pane shows; more than the layout has room for are kept in hand. */
  panes: Candidate[];
  /** What is shown of a candidate until it arrives. */
  under: Candidate;
  /** Address of a small picture of the original, shown before anything else arrives. */
  thumbnail: string;
  /** Changes when another picture is on the table, which then opens where `opening` says, and is seen whole until that is known. */
  picture: string;
  /** Where the person has chosen to look first. */
  opening?: Opening;
  /** How many levels of a view show what enlarging adds, from the print's own pixels on. */
  ownLevels: number;
  /** Whether the view with which the picture opens was computed before: no draft is needed of it. */
  opensAtOnce: boolean;
}

/** What is shown beside the canvas. */
export interface Seen {
  /** Device pixels per pixel of the print. */
  zoom: number;
  /** Place of the curtain, 0 to 1 across. */
  curtain: number;
  /** How far each pane of the layout has come. */
  panes: Standing[];
  /** Whether the view is too far off for a model to show. */
  fromOriginal: boolean;
  /** Where both ends of the blend at hand are: on their way, here, or shown mixed. */
  blend?: "coming" | "ready" | "shown";
  /** The part of the picture that is in view, as shares of its sides; nothing when all of it is. */
  part?: Box;
  /** The part in view, in pixels of the original. */
  view?: Box;
  /** The middle of the view as shares of the sheet's sides; nothing while all of it is fitted into the pane. */
  middle?: Point;
}

export const NOTHING_SEEN: Seen = { zoom: 1, curtain: 0.5, panes: [], fromOriginal: false };

/** Side of each of the loupe's two windows, in CSS pixels, and what lies below a picture's edge in it. */
const LOUPE_SIDE = 220;

/** How far from its middle a fingertip covers what is below it, in CSS pixels. */
const FINGER = 40;

export class Stage {
  private readonly context: CanvasRenderingContext2D;
  private readonly painter: Painter;
  private readonly tiles = new TileStore(() => this.refresh());
  private subject?: Subject;
  /** What a pane showed before its settings changed: it stays until the new one arrives. */
  private readonly previous = new Map<number, Candidate>();
  private thumbnail?: HTMLImageElement;
  private camera: Camera = { x: 0, y: 0, scale: 1 };
  private fitted = true;
  /** The canvas's size in which the picture was fitted, while something lies beside it that took a part of it. */
  private fittedAt?: string;
  /** The window's size and pixel ratio when the canvas last changed its size. */
  private outer = "";
  /** Whether the picture is still to be opened where it says: nobody has moved the view since it came. */
  private isToOpen = false;
  /** Whether it still shows what it opened with. */
  private atOpening = false;
  private curtain = 0.5;
  /** Whether the curtain lies across, with the first candidate above it. */
  private across = false;
  /** Where the pointer is, in device pixels of the canvas. */
  private pointer?: At;
  private loupe = false;
  private besideFinger = false;
  private difference = false;
  private layout: Layout = "curtain";
  private smooth = false;
  private turn = 0;
  private only?: number;
  private marks: Mark[] = [];
  private tool?: Tool;
  private frame = 0;
  private readonly listeners = new Set<() => void>();
  private readonly moving = new Set<() => void>();
  private readonly pointing = new Set<(at: Point | undefined) => void>();
  private seen: Seen = NOTHING_SEEN;
  private readonly observer: ResizeObserver;
  private readonly hand: Hand;

  constructor(private readonly canvas: HTMLCanvasElement) {
    const context = canvas.getContext("2d", { alpha: true });
    if (!context) throw new Error("this browser draws no pictures");
    this.context = context;
    this.painter = new Painter(context, this.tiles);
    this.observer = new ResizeObserver(() => this.resize());
    this.observer.observe(canvas);
    this.hand = new Hand(canvas, this.table());
  }

  dispose(): void {
    this.observer.disconnect();
    cancelAnimationFrame(this.frame);
    this.tiles.want([]);
    this.hand.dispose();
  }

  // What React needs to follow along.
  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };
  snapshot = (): Seen => this.seen;

  /** Tells where the pointer is, in pixels of the original. */
  onPointing = (listener: (at: Point | undefined) => void): (() => void) => {
    this.pointing.add(listener);
    return () => this.pointing.delete(listener);
  };

  /** Tells when a person moves the view. */
  onMoved = (listener: () => void): (() => void) => {
    this.moving.add(listener);
    return () => this.moving.delete(listener);
  };

  show(subject: Subject | undefined): void {
    const another = subject?.picture !== this.subject?.picture;
    if (another) this.previous.clear();
    subject?.panes.forEach((now, i) => {
      const old = this.subject?.panes[i];
      if (another || !old || !sameSize(old, now)) this.previous.delete(i);
      else if (address(old) !== address(now)) this.previous.set(i, old);
    });
    this.subject = subject;
    if (another) {
      this.fitted = true;
      this.isToOpen = true;
      this.thumbnail = undefined;
      if (subject) {
        const image = new Image();
        image.onload = () => {
          if (this.subject?.picture !== subject.picture) return;
          this.thumbnail = image;
          this.refresh();
        };
        image.src = subject.thumbnail;
      }
    }
    this.refresh();
  }

  /** Opens the picture once it is known where, and how large the stage is. */
  private openWhenKnown(): void {
    const at = this.subject?.opening;
    if (!this.isToOpen || !this.subject || !at || !this.outer) return;
    if (at === "whole") return this.fitAll();
    const { original, factor } = this.subject;
    const camera = { x: at.x, y: at.y, scale: factor * (at.zoom ?? 1) };
    this.place(at.zoom === undefined ? filled(camera, this.pane(), original) : camera);
    this.atOpening = at.zoom === undefined;
  }

  /** Puts a spot, given as shares of the picture's sides, into the middle. */
  goTo(x: number, y: number): void {
    if (!this.subject) return;
    const { width, height } = this.subject.original;
    this.moveTo({ x: x * width, y: y * height, scale: this.current().scale });
  }

  /** Puts a place into the middle, at 100 % or closer. */
  goToPlace(at: Point): void {
    if (!this.subject) return;
    this.place({ ...at, scale: Math.max(this.current().scale, this.subject.factor) });
  }

  /** The place in the middle of the view. */
  middle(): Point {
    const { x, y } = this.current();
    return { x, y };
  }

  setLayout(layout: Layout): void {
    this.layout = layout;
    this.refresh();
  }

  setSmooth(smooth: boolean): void {
    this.smooth = smooth;
    this.refresh();
  }

  setMarks(marks: Mark[]): void {
    this.marks = marks;
    this.refresh();
  }

  /** What the hand does instead of moving the picture. */
  setTool(tool: Tool | undefined): void {
    this.tool = tool;
    this.hand.drop();
    this.canvas.style.cursor = tool?.cursor ?? "grab";
    this.refresh();
  }

  /** Which of two candidates a blink shows now. */
  setTurn(turn: number): void {
    this.turn = turn;
    this.refresh();
  }

  /** Shows one candidate everywhere for as long as it is set. */
  setOnly(pane: number | undefined): void {
    this.only = pane;
    this.refresh();
  }

  setCurtain(share: number): void {
    this.curtain = Math.min(1, Math.max(0, share));
    this.refresh();
  }

  moveCurtain(by: number): void {
    this.setCurtain(this.curtain + by);
  }

  /** Upright, or lying across. */
  setAcross(across: boolean): void {
    this.across = across;
    this.refresh();
  }

  /** Instead of the second candidate, by how much it differs from the first, amplified. */
  setDifference(shown: boolean): void {
    this.difference = shown;
    this.refresh();
  }

  /** Two candidates side by side at the pointer, closer than the view; beside a finger, which would cover them. */
  setLoupe(shown: boolean, byFinger = false): void {
    this.loupe = shown;
    this.besideFinger = byFinger;
    this.refresh();
  }

  fit(): void {
    this.fitAll();
    for (const listener of this.moving) listener();
  }

  private fitAll(): void {
    this.fitted = true;
    this.fittedAt = undefined;
    this.isToOpen = false;
    this.atOpening = false;
    this.refresh();
  }

  /** Zooms the middle of the view, in terms of the print. */
  zoomTo(zoom: number): void {
    const pane = this.pane();
    this.zoomAround(zoom, pane.width / 2, pane.height / 2);
  }

  zoomBy(factor: number): void {
    this.zoomTo(this.seen.zoom * factor);
  }

  panBy(dx: number, dy: number): void {
    this.moveTo(pan(this.current(), dx, dy));
  }

  /** The hand's table. */
  private table(): Table {
    return {
      pan: (dx, dy) => this.panBy(dx, dy),
      closer: (times, at) => this.zoomAround((this.current().scale / this.factor()) * times, ...this.inPane(at)),
      twice: (at) => {
        if (this.tool) return;
        if (this.fitted) this.zoomAround(1, ...this.inPane(at));
        else this.fit();
      },
      begin: (at) => {
        const place = this.placeOf(at);
        if (!this.tool || !place) return false;
        this.tool.start(place);
        this.refresh();
        return true;
      },
      work: (at) => {
        const place = this.placeOf(at);
        if (place) this.tool?.move(place);
        this.refresh();
      },
      end: () => {
        this.tool?.end();
        this.refresh();
      },
      pointer: (at, down) => {
        this.pointer = at;
        if (this.loupe) this.refresh();
        if (down) return;
        const place = at && this.placeOf(at);
        this.tool?.hover?.(place);
        if (this.tool) this.refresh();
        for (const listener of this.pointing) listener(place);
      },
      rests: (long) => this.setLoupe(long, true),
    };
  }

  /** A place of the canvas inside its pane, in device pixels. */
  private inPane(at: At): At {
    const { x, y } = cellAt(this.layout, this.canvas, ...at);
    return [x, y];
  }

  /** The place under the pointer, in pixels of the original. */
  private placeOf(at: At): Point | undefined {
    if (!this.subject) return undefined;
    const [x, y] = toPicture(this.current(), this.pane(), ...this.inPane(at));
    return { x, y };
  }

  private zoomAround(zoom: number, px: number, py: number): void {
    if (!this.subject) return;
    const clamped = Math.min(ZOOM_RANGE[1], Math.max(ZOOM_RANGE[0], zoom));
    this.moveTo(zoomAt(this.current(), this.pane(), clamped * this.factor(), px, py));
  }

  /** Puts the view where a person wants it. */
  private moveTo(camera: Camera): void {
    this.place(camera);
    for (const listener of this.moving) listener();
  }

  private place(camera: Camera): void {
    if (!this.subject) return;
    this.fitted = false;
    this.fittedAt = undefined;
    this.isToOpen = false;
    this.atOpening = false;
    this.camera = held(camera, this.subject.original);
    this.refresh();
  }

  private current(): Camera {
    return this.fitted && this.subject ? fit(this.subject.original, this.pane()) : this.camera;
  }

  private factor(): number {
    return this.subject?.factor ?? 1;
  }

  private pane(): Extent {
    return paneOf(this.layout, this.canvas);
  }

  private resize(): void {
    // Out of sight it has no size; it keeps its last one until it is back.
    if (this.canvas.clientWidth === 0) return;
    const ratio = window.devicePixelRatio;
    const width = Math.max(1, Math.round(this.canvas.clientWidth * ratio));
    const height = Math.max(1, Math.round(this.canvas.clientHeight * ratio));
    if (this.canvas.width !== width || this.canvas.height !== height) {
      const outer = `${window.innerWidth} ${window.innerHeight} ${ratio}`;
      const lent = outer === this.outer;
      this.outer = outer;
      const before = { camera: this.current(), pane: this.pane(), size: sizeText(this.canvas) };
      this.canvas.width = width;
      this.canvas.height = height;
      if (lent) this.lend(before);
      this.draw();
    }
  }

  /** Something opened or closed below or to the right: what is looked at stays where it is, and what was fitted is so again later. */
  private lend(before: { camera: Camera; pane: Extent; size: string }): void {
    const { camera, pane, size } = before;
    const fittedAt = this.fitted ? size : this.fittedAt;
    this.fitted = fittedAt === sizeText(this.canvas);
    this.fittedAt = this.fitted ? undefined : fittedAt;
    const now = this.pane();
    this.camera = {
      ...camera,
      x: camera.x + (now.width - pane.width) / 2 / camera.scale,
      y: camera.y + (now.height - pane.height) / 2 / camera.scale,
    };
  }

  /** Draws with the next frame; any number of changes in between are one drawing. */
  private refresh(): void {
    if (this.frame) return;
    this.frame = requestAnimationFrame(() => {
      this.frame = 0;
      this.draw();
    });
  }

  private draw(): void {
    const { canvas, context, subject, layout } = this;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.clearRect(0, 0, canvas.width, canvas.height);
    if (!subject) return this.tell({ ...this.seen, panes: [] });
    this.openWhenKnown();
    const pane = this.pane();
    const camera = snapped(this.current(), pane);
    const part = visible(camera, pane, subject.original);
    const shown = subject.panes.slice(0, PANES[layout]);
    const views = shown.map((candidate) => viewOf(candidate, camera, part));
    const sights = cells(layout, canvas).map((cell, i) => ({
      cell,
      strip: layout === "curtain" ? this.besideCurtain(cell, i) : whole(cell),
    }));
    // What the curtain hides comes after all that is seen.
    const hides = layout === "curtain" && this.only === undefined && !this.difference;
    const shownOf = (view: View, i: number) => {
      const strip = sights[i]?.strip;
      return hides && strip ? divided(view, camera, pane, strip) : ([view, undefined] as const);
    };
    const parts = views.map(shownOf);
    const seen = parts.map(([shown]) => shown);
    const hidden = parts.flatMap(([, hidden]) => hidden ?? []);
    const under = viewOf(subject.under, camera, part);
    const mixes = seen.map((view) => this.mixOf(view, camera, part));
    const drafts = seen.map((view, i) =>
      this.previous.has(i) ? undefined : this.draftOf(view, camera, part)?.map((draft) => shownOf(draft, i)[0]),
    );
    const loupe = this.loupeOf(subject, camera);
    const first = [under, ...drafts.flatMap((draft) => draft ?? [])];
    const later = [...(loupe?.stacks.flat() ?? []), ...mixes.flatMap((mix) => mix?.ends ?? [])];
    // Until it is known what will be looked at, the small picture does. The original is there at once: it need not be waited for.
    if (this.isToOpen) this.tiles.want([]);
    else if (first.length > 1) this.tiles.want(first, seen, later, hidden);
    else this.tiles.want([under, ...seen], later, hidden);
    const panes = seen.map(({ candidate, places }, i) => ({
      ...this.tiles.standing(candidate, places),
      draft: drafts[i]?.some(({ candidate: draft, places: parts }) => this.tiles.standing(draft, parts).ready > 0),
    }));
    panes.forEach((standing, i) => {
      if (standing.ready === standing.needed) this.previous.delete(i);
    });
    const { thumbnail, marks, tool, smooth } = this;
    const ground = { original: subject.original, thumbnail, marks, tool, smooth };
    if (part) {
      sights.forEach(({ cell, strip }, i) => {
        if (layout === "blink" && i !== this.turn) return;
        const view = views[this.only ?? i];
        if (!view) return;
        const previous = this.previous.get(this.only ?? i);
        const mix = mixes[this.only ?? i];
        const stack: Layer[] =
          mix?.stage === "shown"
            ? mix.ends.map((end, high) => ({ ...end, share: high ? mix.share : 1 }))
            : [under, ...(previous ? [viewOf(previous, camera, part)] : []), ...(drafts[this.only ?? i] ?? []), view];
        const sight = { cell, strip, camera, part };
        this.painter.pane(ground, sight, stack);
        const first = views[0];
        if (this.difference && i === 1 && first && this.tiles.isWhole(first) && this.tiles.isWhole(view))
          this.painter.difference(sight, [first, view], this.smooth);
      });
    }
    if (loupe) this.painter.loupe(ground, loupe);
    this.tell({
      zoom: camera.scale / subject.factor,
      curtain: this.curtain,
      panes,
      fromOriginal: under.level >= subject.ownLevels,
      blend: mixes.find((mix) => mix)?.stage,
      part: part && shares(part, subject.original),
      view: part,
      middle: this.fitted
        ? undefined
        : { x: this.camera.x / subject.original.width, y: this.camera.y / subject.original.height },
    });
  }

  /** The part of a pane that is on a candidate's side of the curtain. */
  private besideCurtain(cell: Cell, candidate: number): Box {
    const box = whole(cell);
    const [near, far, side] = this.across
      ? (["top", "bottom", cell.height] as const)
      : (["left", "right", cell.width] as const);
    const edge = Math.round(this.curtain * side);
    return candidate === 0 ? { ...box, [far]: edge } : { ...box, [near]: edge };
  }

  /** What the loupe shows: the first two candidates around the pointer, twice as close as the view and at least at 100 %. */
  private loupeOf(subject: Subject, camera: Camera): Loupe | undefined {
    if (!this.loupe || !this.pointer || subject.panes.length < 2) return undefined;
    const place = cellAt(this.layout, this.canvas, ...this.pointer);
    const [x, y] = toPicture(camera, this.pane(), place.x, place.y);
    const scale = Math.min(Math.max(camera.scale * 2, subject.factor), ZOOM_RANGE[1] * subject.factor);
    const side = Math.round(LOUPE_SIDE * window.devicePixelRatio);
    const close = snapped({ x, y, scale }, { width: side, height: side });
    const part = visible(close, { width: side, height: side }, subject.original);
    if (!part) return undefined;
    const [px, py] = this.pointer;
    const { left, top } = loupeAt(
      [px, py],
      side,
      this.canvas,
      this.besideFinger ? FINGER * window.devicePixelRatio : undefined,
    );
    const under = viewOf(subject.under, close, part);
    const stacks = subject.panes.slice(0, 2).map((candidate) => [under, viewOf(candidate, close, part)]);
    return { left, top, side, camera: close, part, stacks };
  }

  /** A view's draft, as long as nothing is there of the view itself: the first tile that is means that the others follow soon. */
  private draftOf({ candidate, places }: View, camera: Camera, part: Box | undefined): View[] | undefined {
    const { draft } = candidate;
    if (!draft || (this.atOpening && this.subject?.opensAtOnce) || this.tiles.standing(candidate, places).ready > 0)
      return undefined;
    return [viewOf(draft, camera, part)];
  }

  /** Both ends of a view's blend, and whether they are to be shown instead of it. */
  private mixOf({ candidate, places }: View, camera: Camera, part: Box | undefined) {
    const { mix } = candidate;
    if (!mix) return undefined;
    const ends = [viewOf(mix.low, camera, part), viewOf(mix.high, camera, part)];
    const exact = mix.settled && this.tiles.isWhole({ candidate, places });
    const here = ends.every((end) => this.tiles.isWhole(end));
    const stage: Seen["blend"] = !here ? "coming" : exact ? "ready" : "shown";
    return { ends, share: mix.share, stage };
  }

  private tell(seen: Seen): void {
    const now = withOldParts(seen, this.seen);
    if (now === this.seen) return;
    this.seen = now;
    for (const listener of this.listeners) listener();
  }
}

/** What says the same as before is the same object as before: who follows a part of it hears of nothing else. */
function withOldParts(seen: Seen, before: Seen): Seen {
  const kept: Seen = { ...seen };
  let changed = false;
  const keep = <K extends keyof Seen>(name: K) => {
    if (JSON.stringify(seen[name]) === JSON.stringify(before[name])) kept[name] = before[name];
    else changed = true;
  };
  (Object.keys(seen) as (keyof Seen)[]).forEach(keep);
  return changed ? kept : before;
}

const sizeText = ({ width, height }: Extent) => `${width} ${height}`;

const address = (candidate: Candidate) => `${candidate.base}${candidate.query ?? ""}`;

const sameSize = (a: Candidate, b: Candidate) => a.size.width === b.size.width && a.size.height === b.size.height;

function shares(part: Box, picture: Extent): Box | undefined {
  const { left, top, right, bottom } = part;
  if (right - left >= picture.width && bottom - top >= picture.height) return undefined;
  return {
    left: left / picture.width,
    top: top / picture.height,
    right: right / picture.width,
    bottom: bottom / picture.height,
  };
}
