/** What is looked at in a picture, as the part of an address behind its question mark. */

import type { Kernel, Letter } from "../api/client";
import { rules } from "../api/rules";
import { LAYOUTS, type Layout } from "../stage/layout";
import type { Pane } from "./panes";

/** A spot by its number from 1, the whole picture, or a place: shares of the sheet's sides, and zoom in pixels of the print. */
export type Spotted = { spot: number } | "whole" | { x: number; y: number; zoom: number };

export interface Looking {
  at?: Spotted;
  compare?: Layout;
  panes?: Pane[];
}

const figure = (value: number) => String(Number(value.toFixed(4)));

const paneText = (pane: Pane): string => {
  switch (pane.show) {
    case "plain":
      return pane.kernel;
    case "now":
      return "now";
    case "letter":
      return pane.letter;
    case "result":
      return `result-${pane.id}`;
  }
};

function paneOf(text: string): Pane | undefined {
  const result = /^result-(\d+)$/.exec(text);
  if (result) return { show: "result", id: Number(result[1]) };
  if (text === "now") return { show: "now" };
  if (rules().letters.some((letter) => letter === text)) return { show: "letter", letter: text as Letter };
  if (rules().kernels.some(({ kernel }) => kernel === text)) return { show: "plain", kernel: text as Kernel };
  return undefined;
}

export function lookingText({ at, compare, panes }: Looking): string {
  const parts: [string, string | undefined][] = [
    ["spot", typeof at === "object" && "spot" in at ? String(at.spot) : undefined],
    ["at", at === "whole" ? at : at && "x" in at ? [at.x, at.y, at.zoom].map(figure).join(",") : undefined],
    ["compare", compare],
    ["panes", panes?.map(paneText).join(",")],
  ];
  return parts.flatMap(([name, text]) => (text ? [`${name}=${text}`] : [])).join("&");
}

/** What an address says; what it says wrongly counts as not said. */
export function lookingOf(text: string): Looking {
  const said = new URLSearchParams(text);
  const spot = Number(said.get("spot") ?? Number.NaN);
  const [x = Number.NaN, y = Number.NaN, zoom = Number.NaN] = (said.get("at") ?? "").split(",").map(Number);
  const share = (value: number) => value >= 0 && value <= 1;
  const at: Spotted | undefined =
    Number.isInteger(spot) && spot >= 1
      ? { spot }
      : said.get("at") === "whole"
        ? "whole"
        : share(x) && share(y) && zoom > 0
          ? { x, y, zoom }
          : undefined;
  const compare = LAYOUTS.find((layout) => layout === said.get("compare"));
  const named = (said.get("panes") ?? "").split(",").map(paneOf);
  const panes = named.filter((pane) => pane !== undefined);
  return { at, compare, panes: panes.length === named.length && panes.length <= 6 ? panes : undefined };
}
