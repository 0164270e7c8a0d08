/**
 * The light table: draws two candidates under one camera, and moves with hand, wheel and keys.
 *
 * Without React: it draws at most once a frame, and tells those who listen when something to be shown
 * beside the canvas has changed.
 */

import { type Box, type Camera, type Extent, filled, fit, held, pan, toPane, visible, zoomAt } from "./camera";
import { liveliest } from "./liveliest";
import { type Candidate, type Standing, TileStore, drawTiles, levelFor, placesIn } from "./tiles";

/** Zoom in terms of the result: 1 is one of its pixels per device pixel. */
export const ZOOM_RANGE = [0.05, 8] as const;

export type Layout = "curtain" | "side";

/** What is on the table. */
export interface Subject {
  original: Extent;
  before: Candidate;
  after: Candidate;
  /** Address of a small picture of the original, shown before anything else arrives. */
  thumbnail: string;
  /** Changes when another picture is on the table, which then opens at its liveliest place. */
  picture: string;
}

/** What is shown beside the canvas. */
export interface Seen {
  /** Device pixels per pixel of the result. */
  zoom: number;
  /** Place of the curtain, 0 to 1 across. */
  curtain: number;
  before: Standing;
  after: Standing;
  /** Whether the view is too far off for a model to show. */
  fromOriginal: boolean;
  /** The part of the picture that is in view, as shares of its sides; nothing when all of it is. */
  part?: Box;
}

const NOTHING: Standing = { ready: 0, needed: 0 };

export class Stage {
  private readonly context: CanvasRenderingContext2D;
  private readonly tiles = new TileStore(() => this.refresh());
  private subject?: Subject;
  /** What the result was before its settings changed: it stays until the new one arrives. */
  private previous?: Candidate;
  private thumbnail?: HTMLImageElement;
  private camera: Camera = { x: 0, y: 0, scale: 1 };
  private fitted = true;
  private curtain = 0.5;
  private layout: Layout = "curtain";
  private smooth = false;
  private onlyBefore = false;
  private frame = 0;
  private readonly listeners = new Set<() => void>();
  private seen: Seen = { zoom: 1, curtain: 0.5, before: NOTHING, after: NOTHING, fromOriginal: false };
  private readonly observer: ResizeObserver;
  private drag?: { x: number; y: number };

  constructor(private readonly canvas: HTMLCanvasElement) {
    const context = canvas.getContext("2d", { alpha: true });
    if (!context) throw new Error("this browser draws no pictures");
    this.context = context;
    this.observer = new ResizeObserver(() => this.resize());
    this.observer.observe(canvas);
    canvas.addEventListener("pointerdown", this.grab);
    canvas.addEventListener("pointermove", this.move);
    canvas.addEventListener("pointerup", this.letGo);
    canvas.addEventListener("pointercancel", this.letGo);
    canvas.addEventListener("wheel", this.wheel, { passive: false });
    canvas.addEventListener("dblclick", this.doubleClick);
  }

  dispose(): void {
    this.observer.disconnect();
    cancelAnimationFrame(this.frame);
    this.tiles.want([]);
    const { canvas } = this;
    canvas.removeEventListener("pointerdown", this.grab);
    canvas.removeEventListener("pointermove", this.move);
    canvas.removeEventListener("pointerup", this.letGo);
    canvas.removeEventListener("pointercancel", this.letGo);
    canvas.removeEventListener("wheel", this.wheel);
    canvas.removeEventListener("dblclick", this.doubleClick);
  }

  // What React needs to follow along.
  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };
  snapshot = (): Seen => this.seen;

  show(subject: Subject | undefined): void {
    const another = subject?.picture !== this.subject?.picture;
    const old = this.subject?.after;
    if (another || !sameSize(old, subject?.after)) this.previous = undefined;
    else if (old && address(old) !== address(subject?.after)) this.previous = old;
    this.subject = subject;
    if (another) {
      this.fitted = true;
      this.thumbnail = undefined;
      if (subject) {
        const image = new Image();
        image.onload = () => {
          if (this.subject?.picture !== subject.picture) return;
          this.thumbnail = image;
          this.openAtLiveliest(image);
          this.refresh();
        };
        image.src = subject.thumbnail;
      }
    }
    this.refresh();
  }

  /** Opens a picture where a comparison tells the most, at 100 %, unless the hand was faster. */
  private openAtLiveliest(image: HTMLImageElement): void {
    const canvas = new OffscreenCanvas(image.naturalWidth, image.naturalHeight);
    const context = canvas.getContext("2d");
    if (!context || !this.fitted || !this.subject) return;
    context.drawImage(image, 0, 0);
    const { data, width, height } = context.getImageData(0, 0, canvas.width, canvas.height);
    const [x, y] = liveliest(data, width, height);
    const spot = { x: x * this.subject.original.width, y: y * this.subject.original.height, scale: this.factor() };
    this.place(filled(spot, this.pane(), this.subject.original));
  }

  /** Puts a spot, given as shares of the picture's sides, into the middle. */
  goTo(x: number, y: number): void {
    if (!this.subject) return;
    const { width, height } = this.subject.original;
    this.place({ x: x * width, y: y * height, scale: this.current().scale });
  }

  setLayout(layout: Layout): void {
    this.layout = layout;
    this.refresh();
  }

  setSmooth(smooth: boolean): void {
    this.smooth = smooth;
    this.refresh();
  }

  /** Shows the original alone for as long as it is set. */
  setOnlyBefore(only: boolean): void {
    this.onlyBefore = only;
    this.refresh();
  }

  setCurtain(share: number): void {
    this.curtain = Math.min(1, Math.max(0, share));
    this.refresh();
  }

  fit(): void {
    this.fitted = true;
    this.refresh();
  }

  /** Zooms the middle of the view, in terms of the result. */
  zoomTo(zoom: number): void {
    const pane = this.pane();
    this.zoomAround(zoom, pane.width / 2, pane.height / 2);
  }

  zoomBy(factor: number): void {
    this.zoomTo(this.seen.zoom * factor);
  }

  panBy(dx: number, dy: number): void {
    this.place(pan(this.current(), dx, dy));
  }

  private readonly grab = (e: PointerEvent) => {
    if (e.button !== 0 && e.button !== 1) return;
    this.canvas.setPointerCapture(e.pointerId);
    this.drag = { x: e.clientX, y: e.clientY };
  };

  private readonly move = (e: PointerEvent) => {
    if (!this.drag) return;
    const ratio = window.devicePixelRatio;
    this.panBy((e.clientX - this.drag.x) * ratio, (e.clientY - this.drag.y) * ratio);
    this.drag = { x: e.clientX, y: e.clientY };
  };

  private readonly letGo = () => {
    this.drag = undefined;
  };

  private readonly wheel = (e: WheelEvent) => {
    e.preventDefault();
    const lines = e.deltaMode === WheelEvent.DOM_DELTA_LINE ? 16 : 1;
    const [px, py] = this.inPane(e);
    this.zoomAround(this.seen.zoom * Math.exp(-e.deltaY * lines * 0.0022), px, py);
  };

  private readonly doubleClick = (e: MouseEvent) => {
    const [px, py] = this.inPane(e);
    if (this.fitted) this.zoomAround(1, px, py);
    else this.fit();
  };

  /** A place of the pointer inside its pane, in device pixels. */
  private inPane(e: MouseEvent): [number, number] {
    const box = this.canvas.getBoundingClientRect();
    const ratio = window.devicePixelRatio;
    const x = (e.clientX - box.left) * ratio;
    return [this.layout === "side" ? x % this.pane().width : x, (e.clientY - box.top) * ratio];
  }

  private zoomAround(zoom: number, px: number, py: number): void {
    if (!this.subject) return;
    const clamped = Math.min(ZOOM_RANGE[1], Math.max(ZOOM_RANGE[0], zoom));
    this.place(zoomAt(this.current(), this.pane(), clamped * this.factor(), px, py));
  }

  private place(camera: Camera): void {
    if (!this.subject) return;
    this.fitted = false;
    this.camera = held(camera, this.subject.original);
    this.refresh();
  }

  private current(): Camera {
    return this.fitted && this.subject ? fit(this.subject.original, this.pane()) : this.camera;
  }

  private factor(): number {
    return this.subject ? this.subject.after.size.width / this.subject.original.width : 1;
  }

  private pane(): Extent {
    const { width, height } = this.canvas;
    return { width: this.layout === "side" ? width / 2 : width, height };
  }

  private resize(): void {
    // Out of sight it has no size; it keeps its last one until it is back.
    if (this.canvas.clientWidth === 0) return;
    const ratio = window.devicePixelRatio;
    const width = Math.max(1, Math.round(this.canvas.clientWidth * ratio));
    const height = Math.max(1, Math.round(this.canvas.clientHeight * ratio));
    if (this.canvas.width !== width || this.canvas.height !== height) {
      this.canvas.width = width;
      this.canvas.height = height;
      this.draw();
    }
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
    const { canvas, context, subject } = this;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.clearRect(0, 0, canvas.width, canvas.height);
    if (!subject) return this.tell({ ...this.seen, before: NOTHING, after: NOTHING });
    const pane = this.pane();
    const camera = this.current();
    const part = visible(camera, pane, subject.original);
    const level = levelFor(subject.after, camera);
    const beforePlaces = part ? placesIn(subject.before, level, part) : [];
    const afterPlaces = part ? placesIn(subject.after, level, part) : [];
    this.tiles.want([
      { candidate: subject.before, places: beforePlaces },
      { candidate: subject.after, places: afterPlaces },
    ]);
    const standing = this.tiles.standing(subject.after, afterPlaces);
    if (standing.ready === standing.needed) this.previous = undefined;
    const after = [subject.before, ...(this.previous ? [this.previous] : []), subject.after];
    if (part) {
      if (this.onlyBefore) {
        for (const offset of this.layout === "side" ? [0, pane.width] : [0]) {
          this.drawPane(offset, pane, [0, pane.width], camera, part, level, [subject.before]);
        }
      } else if (this.layout === "side") {
        this.drawPane(0, pane, [0, pane.width], camera, part, level, [subject.before]);
        this.drawPane(pane.width, pane, [0, pane.width], camera, part, level, after);
      } else {
        const edge = Math.round(this.curtain * pane.width);
        this.drawPane(0, pane, [0, edge], camera, part, level, [subject.before]);
        this.drawPane(0, pane, [edge, pane.width], camera, part, level, after);
      }
    }
    this.tell({
      zoom: camera.scale / this.factor(),
      curtain: this.curtain,
      before: this.tiles.standing(subject.before, beforePlaces),
      after: standing,
      fromOriginal: level > 0 && subject.after.size.width / 2 ** level <= subject.original.width,
      part: part && shares(part, subject.original),
    });
  }

  /** Candidates one over the other in a strip of a pane: what has not arrived yet shows what lies below. */
  private drawPane(
    offset: number,
    pane: Extent,
    [left, right]: [number, number],
    camera: Camera,
    part: Box,
    level: number,
    candidates: Candidate[],
  ): void {
    const { context, subject } = this;
    if (!subject || right <= left) return;
    context.save();
    context.beginPath();
    context.rect(offset + left, 0, right - left, pane.height);
    context.clip();
    context.translate(offset, 0);
    if (this.thumbnail) {
      const [x0, y0] = toPane(camera, pane, 0, 0);
      const [x1, y1] = toPane(camera, pane, subject.original.width, subject.original.height);
      context.imageSmoothingEnabled = true;
      context.drawImage(this.thumbnail, x0, y0, x1 - x0, y1 - y0);
    }
    for (const candidate of candidates) {
      drawTiles(context, this.tiles, candidate, camera, pane, part, level, this.smooth);
    }
    context.restore();
  }

  private tell(seen: Seen): void {
    if (JSON.stringify(seen) === JSON.stringify(this.seen)) return;
    this.seen = seen;
    for (const listener of this.listeners) listener();
  }
}

const address = (candidate: Candidate | undefined) => `${candidate?.base ?? ""}${candidate?.query ?? ""}`;

const sameSize = (a: Candidate | undefined, b: Candidate | undefined) =>
  a?.size.width === b?.size.width && a?.size.height === b?.size.height;

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
