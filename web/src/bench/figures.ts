/** Figures of what is in view: sharpness at the pointer once it rests, and departure of the whole view while its map is shown. */

import { type SheetPart, useMeasures } from "../api/queries";
import { decimal } from "../app/format";
import type { Extent } from "../stage/camera";
import type { Seen } from "../stage/stage";
import type { Point } from "../stage/tools";
import type { PaneView, Source } from "./panes";

/** Side of the part around the pointer that is measured, in pixels of the print. */
const POINTER_PART = 96;

export interface Figures {
  /** A line about the place at the pointer. */
  readout?: string;
  /** What of the print is in view, once it rests. */
  inView?: SheetPart;
  /** A line about a pane's view. */
  detailOf: (view: PaneView) => string | undefined;
}

/** `rested` is what was shown, and `at` where the pointer was, when they last rested. */
export function useFigures(
  source: Source,
  shown: PaneView[],
  rested: Seen,
  at: Point | undefined,
  map: boolean,
): Figures {
  const { plan, hash, extent } = source;
  const factor = plan.resolved.factor;
  const { view, fromOriginal } = rested;
  const ways = shown.map((v) => JSON.stringify(v.measured));
  const distinct = [...new Set(ways)];
  const measured = shown.map((v) => v.measured).filter((_, i) => ways.indexOf(ways[i] ?? "") === i);

  const px = (value: number) => Math.round(value * factor);
  const pointerPart =
    at && isInside(at, extent) && !fromOriginal
      ? cutTo(plan.sheet, px(at.x) - POINTER_PART / 2, px(at.y) - POINTER_PART / 2, POINTER_PART, POINTER_PART)
      : undefined;
  const inView =
    view && !fromOriginal
      ? cutTo(plan.sheet, px(view.left), px(view.top), px(view.right - view.left), px(view.bottom - view.top))
      : undefined;
  const viewPart = map ? inView : undefined;
  const figures = useMeasures(hash, measured, pointerPart);
  const departures = useMeasures(hash, measured, viewPart);

  const sharpness = shown.flatMap((v, i) => {
    const way = ways[i] ?? "";
    const bicubic = "treatment" in v.measured && v.measured.treatment === plan.plain.bicubic;
    const figure = figures.data?.[distinct.indexOf(way)];
    return figure && !bicubic && ways.indexOf(way) === i ? [`${short(v.name)} ${figure.sharpness.toFixed(2)}`] : [];
  });
  return {
    inView,
    readout: pointerPart && figures.data ? `Sharpness here, bicubic 1: ${sharpness.join(", ")}` : undefined,
    detailOf: (v) => {
      const figure = viewPart && departures.data?.[distinct.indexOf(JSON.stringify(v.measured))];
      return figure ? `95 % of the view within ${decimal(figure.departure_p95, 1)} ΔE of the original` : undefined;
    },
  };
}

const short = (name: string) => name.split(/[:,]/)[0] ?? name;

const isInside = ({ x, y }: Point, { width, height }: Extent) => x >= 0 && y >= 0 && x < width && y < height;

/** A part cut to the sheet, of one pixel at least. */
function cutTo(sheet: Extent, x: number, y: number, width: number, height: number) {
  const left = Math.min(Math.max(0, x), sheet.width - 1);
  const top = Math.min(Math.max(0, y), sheet.height - 1);
  return {
    x: left,
    y: top,
    width: Math.max(1, Math.min(sheet.width, x + width) - left),
    height: Math.max(1, Math.min(sheet.height, y + height) - top),
  };
}
