/** Draws candidates into a pane, one over the other, with what is marked in it; how far two differ; and the loupe. */

import { NO_DIFFERENCE, OVER_PICTURE, STAGE_GROUND } from "../look/tokens";
import { type Box, type Camera, type Extent, toPane } from "./camera";
import type { Cell } from "./layout";
import { type TileStore, type View, drawTiles } from "./tiles";
import type { Point, Tool } from "./tools";

/** A numbered place that is marked in every pane. */
export interface Mark extends Point {
  label: string;
  /** How far the corners lie from the place, in the stage's units; a fixed distance on the screen without. */
  reach?: number;
}

/** A view that is drawn over others, with how much of it shows. */
export interface Layer extends View {
  share?: number;
}

/** What all panes have in common. */
export interface Ground {
  /** The sheet in pixels of the original. */
  original: Extent;
  /** A small picture of it, until anything else is there. */
  thumbnail?: HTMLImageElement;
  marks: Mark[];
  tool?: Tool;
  smooth: boolean;
}

/** A part of a pane, seen by a camera. */
export interface Sight {
  cell: Cell;
  strip: Box;
  camera: Camera;
  part: Box;
}

/** Two windows side by side at a place of the canvas, in device pixels. */
export interface Loupe {
  left: number;
  top: number;
  side: number;
  camera: Camera;
  part: Box;
  stacks: View[][];
}

/** How many times a difference is shown as large as it is: a power of two. */
export const AMPLIFIED = 8;

export const whole = ({ width, height }: Cell): Box => ({ left: 0, top: 0, right: width, bottom: height });

export class Painter {
  constructor(
    private readonly context: CanvasRenderingContext2D,
    private readonly tiles: TileStore,
  ) {}

  /** Draws nothing where the part has no extent; otherwise what `act` draws, clipped to it. */
  private within({ cell, strip }: Sight, act: (x: number, y: number, width: number, height: number) => void): void {
    const { context } = this;
    const [x, y] = [cell.left + strip.left, cell.top + strip.top];
    const [width, height] = [strip.right - strip.left, strip.bottom - strip.top];
    if (width <= 0 || height <= 0) return;
    context.save();
    context.beginPath();
    context.rect(x, y, width, height);
    context.clip();
    act(x, y, width, height);
    context.restore();
  }

  /** Candidates one over the other in a part of a pane: what has not arrived yet shows what lies below. */
  pane(ground: Ground, sight: Sight, views: Layer[]): void {
    const { context } = this;
    const { cell, camera, part } = sight;
    this.within(sight, () => {
      context.translate(cell.left, cell.top);
      // What hides everything below it needs nothing below it: while a hand moves the picture, every layer counts.
      const lowest = views.findLastIndex((view) => (view.share ?? 1) === 1 && this.tiles.isWhole(view));
      if (lowest < 0 && ground.thumbnail) {
        const [x0, y0] = toPane(camera, cell, 0, 0);
        const [x1, y1] = toPane(camera, cell, ground.original.width, ground.original.height);
        context.imageSmoothingEnabled = true;
        context.drawImage(ground.thumbnail, x0, y0, x1 - x0, y1 - y0);
      }
      for (const view of views.slice(Math.max(0, lowest))) {
        context.globalAlpha = view.share ?? 1;
        drawTiles(context, this.tiles, view, camera, cell, part, ground.smooth);
      }
      context.globalAlpha = 1;
      for (const mark of ground.marks) {
        drawMark(context, toPane(camera, cell, mark.x, mark.y), mark.label, (mark.reach ?? 0) * camera.scale);
      }
      ground.tool?.draw(context, (p) => toPane(camera, cell, p.x, p.y), camera.scale);
    });
  }

  /** By how much the second view differs from the first, in a part of a pane: black where it does not. */
  difference(sight: Sight, [first, second]: [View, View], smooth: boolean): void {
    const { context } = this;
    const { cell, camera, part } = sight;
    this.within(sight, (x, y, width, height) => {
      context.fillStyle = NO_DIFFERENCE;
      context.fillRect(x, y, width, height);
      context.translate(cell.left, cell.top);
      for (const view of [first, second]) {
        context.globalCompositeOperation = view === first ? "source-over" : "difference";
        drawTiles(context, this.tiles, view, camera, cell, part, smooth);
      }
      context.setTransform(1, 0, 0, 1, 0, 0);
      // Each time twice as much.
      context.globalCompositeOperation = "lighter";
      for (let doubled = 1; doubled < AMPLIFIED; doubled *= 2)
        context.drawImage(context.canvas, x, y, width, height, x, y, width, height);
    });
  }

  loupe(ground: Ground, { left, top, side, camera, part, stacks }: Loupe): void {
    const { context } = this;
    stacks.forEach((stack, i) => {
      const cell = { left: left + i * side, top, width: side, height: side };
      context.fillStyle = STAGE_GROUND;
      context.fillRect(cell.left, cell.top, side, side);
      this.pane(ground, { cell, strip: whole(cell), camera, part }, stack);
      context.strokeStyle = OVER_PICTURE.line;
      context.lineWidth = window.devicePixelRatio;
      context.strokeRect(cell.left + 0.5, cell.top + 0.5, side - 1, side - 1);
    });
  }
}

function drawMark(context: CanvasRenderingContext2D, [x, y]: [number, number], label: string, reach: number): void {
  const ratio = window.devicePixelRatio;
  const arm = Math.max(9 * ratio, reach);
  for (const [colour, width] of [
    [OVER_PICTURE.rim, 3],
    [OVER_PICTURE.line, 1],
  ] as const) {
    context.strokeStyle = colour;
    context.lineWidth = width * ratio;
    context.beginPath();
    // Four corners around the place, which itself stays free.
    for (const [sx, sy] of [
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ] as const) {
      const inner = arm - Math.min(arm * 0.6, 14 * ratio);
      context.moveTo(x + sx * arm, y + sy * inner);
      context.lineTo(x + sx * arm, y + sy * arm);
      context.lineTo(x + sx * inner, y + sy * arm);
    }
    context.stroke();
  }
  context.font = `600 ${12 * ratio}px "Source Sans 3 Variable", sans-serif`;
  context.lineWidth = 3 * ratio;
  context.strokeStyle = OVER_PICTURE.rim;
  context.strokeText(label, x + arm + 3 * ratio, y - arm + 5 * ratio);
  context.fillStyle = OVER_PICTURE.line;
  context.fillText(label, x + arm + 3 * ratio, y - arm + 5 * ratio);
}
