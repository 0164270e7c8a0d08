/**
 * What the hand does on the stage other than moving the picture: painting, drawing a line, pointing at a place.
 *
 * A tool speaks of places in the stage's own coordinates, and draws what it is about to do.
 */

import { OVER_PICTURE } from "../look/tokens";

export interface Point {
  x: number;
  y: number;
}

/** From the stage's coordinates to a pane's device pixels. */
export type ToPane = (point: Point) => [number, number];

export interface Tool {
  cursor: string;
  start(at: Point): void;
  move(at: Point): void;
  end(): void;
  /** The pointer moves without being pressed, or has left. */
  hover?(at: Point | undefined): void;
  draw(context: CanvasRenderingContext2D, toPane: ToPane, scale: number): void;
}

function ring(context: CanvasRenderingContext2D, [x, y]: [number, number], radius: number): void {
  for (const [colour, width] of [
    [OVER_PICTURE.rim, 3],
    [OVER_PICTURE.line, 1],
  ] as const) {
    context.beginPath();
    context.arc(x, y, radius, 0, 2 * Math.PI);
    context.strokeStyle = colour;
    context.lineWidth = width;
    context.stroke();
  }
}

/** Points so close together that a stroke of this radius shows no corner between them. */
export function thinned(points: Point[], radius: number): Point[] {
  const kept: Point[] = [];
  for (const point of points) {
    const last = kept.at(-1);
    if (!last || Math.hypot(point.x - last.x, point.y - last.y) >= radius / 6) kept.push(point);
  }
  const end = points.at(-1);
  if (end && kept.at(-1) !== end) kept.push(end);
  return kept;
}

/** A brush: `radius` in the stage's units. */
export class Brush implements Tool {
  cursor = "none";
  private points: Point[] = [];
  private at?: Point;

  constructor(
    private readonly radius: number,
    private readonly erases: boolean,
    private readonly done: (points: Point[]) => void,
  ) {}

  start(at: Point): void {
    this.points = [at];
    this.at = at;
  }

  move(at: Point): void {
    this.at = at;
    this.points.push(at);
  }

  end(): void {
    const points = thinned(this.points, this.radius);
    this.points = [];
    if (points.length > 0) this.done(points);
  }

  hover(at: Point | undefined): void {
    this.at = at;
  }

  draw(context: CanvasRenderingContext2D, toPane: ToPane, scale: number): void {
    const [first, ...rest] = this.points;
    if (first) {
      context.beginPath();
      context.moveTo(...toPane(first));
      for (const point of rest.length > 0 ? rest : [first]) context.lineTo(...toPane(point));
      context.lineWidth = 2 * this.radius * scale;
      context.lineCap = context.lineJoin = "round";
      context.strokeStyle = this.erases ? OVER_PICTURE.unpaint : OVER_PICTURE.paint;
      context.stroke();
    }
    if (this.at) ring(context, toPane(this.at), this.radius * scale);
  }
}

/** A line from one place to another. */
export class Line implements Tool {
  cursor = "crosshair";
  private ends?: [Point, Point];

  constructor(
    private readonly done: (from: Point, to: Point) => void,
    private readonly shown?: [Point, Point],
  ) {}

  start(at: Point): void {
    this.ends = [at, at];
  }

  move(at: Point): void {
    if (this.ends) this.ends = [this.ends[0], at];
  }

  end(): void {
    const ends = this.ends;
    this.ends = undefined;
    if (ends) this.done(...ends);
  }

  draw(context: CanvasRenderingContext2D, toPane: ToPane): void {
    const ends = this.ends ?? this.shown;
    if (!ends) return;
    const [from, to] = [toPane(ends[0]), toPane(ends[1])];
    for (const [colour, width] of [
      [OVER_PICTURE.rim, 4],
      [OVER_PICTURE.line, 1.5],
    ] as const) {
      context.beginPath();
      context.moveTo(...from);
      context.lineTo(...to);
      context.strokeStyle = colour;
      context.lineWidth = width;
      context.stroke();
    }
    ring(context, from, 6);
    ring(context, to, 3);
  }
}

/** A place that is pointed at. */
export class Pick implements Tool {
  cursor = "crosshair";
  private at?: Point;

  constructor(private readonly done: (at: Point) => void) {}

  start(at: Point): void {
    this.at = at;
  }

  move(at: Point): void {
    this.at = at;
  }

  end(): void {
    if (this.at) this.done(this.at);
    this.at = undefined;
  }

  draw(): void {
    // The cross of the pointer says it all.
  }
}
