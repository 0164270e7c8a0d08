/** What commands act on: each part of the application that is in view lays here what can be done with it. */

import { useEffect } from "react";
import { createStore } from "zustand/vanilla";
import type { Layout } from "../stage/layout";

/** The frame: views, orders, pictures. */
export interface FrameDesk {
  go: (view: "orders" | "bench" | "strip" | "runs" | "shelf" | "settings") => void;
  /** The order's picture after or before the present one. */
  step?: (by: 1 | -1) => void;
  newOrder: () => void;
  addPictures?: () => void;
  changeTheme: () => void;
  showKeys: () => void;
  showMessages: () => void;
  /** The row that tells what is where. */
  showGuide: () => void;
  openGuide: () => void;
  search: () => void;
}

/** The open picture. */
export interface BenchDesk {
  undo?: () => void;
  redo?: () => void;
  run?: () => void;
  openCard: (name: string) => void;
  closeCard?: () => void;
  addTreatment?: () => void;
  stepTreatment: (by: 1 | -1) => void;
  rehearse: () => void;
  toggleAreas: () => void;
}

/** The stage, while it is in view. */
export interface StageDesk {
  pan: (dx: number, dy: number) => void;
  zoomBy: (factor: number) => void;
  zoomTo: (zoom: number) => void;
  fit: () => void;
  moveCurtain: (by: number) => void;
  turnCurtain: () => void;
  only: (pane: number | undefined) => void;
  loupe: (shown: boolean) => void;
  blink: () => void;
  nextLayout: () => void;
  setLayout: (layout: Layout) => void;
  toggleNavigator: () => void;
  toggleMap: () => void;
  toggleDifference: () => void;
  toggleFull: () => void;
  /** Back to everything, while the stage is alone. */
  leaveFull?: () => void;
  pin: () => void;
  /** How many spots there are. */
  spots: number;
  goToSpot: (index: number) => void;
}

/** The rehearsal, while it lies over everything. */
export interface RehearsalDesk {
  /** How many parts there are. */
  parts: number;
  goTo: (part: number) => void;
  step: (by: 1 | -1) => void;
}

/** Looking through, while it lies over everything. */
export interface LookDesk {
  accept?: () => void;
  /** Asks what is wrong. */
  sendBack?: () => void;
  step: (by: 1 | -1) => void;
  /** How many spots the result has. */
  spots: number;
  goToSpot: (spot: number) => void;
  stepSpot: (by: 1 | -1) => void;
}

export interface Desk {
  frame?: FrameDesk;
  bench?: BenchDesk;
  stage?: StageDesk;
  rehearsal?: RehearsalDesk;
  look?: LookDesk;
}

export const desk = createStore<Desk>(() => ({}));

/** Lays a part on the desk for as long as the component that calls it is shown, and `part` is not undefined. */
export function useOnDesk<P extends keyof Desk>(name: P, part: Desk[P]): void {
  useEffect(() => desk.setState({ [name]: part } as Desk));
  useEffect(() => () => desk.setState({ [name]: undefined } as Desk), [name]);
}
