/** The light table with what lies around it: panes and their names, curtain, zoom, spots. */

import { Box, Typography } from "@mui/material";
import { visuallyHidden } from "@mui/utils";
import {
  type KeyboardEvent,
  type PointerEvent,
  type ReactNode,
  useCallback,
  useEffect,
  useRef,
  useState,
  useSyncExternalStore,
} from "react";
import type { Spot } from "../api/client";
import { decimal } from "../app/format";
import { useKept } from "../app/kept";
import type { Box as PartBox } from "../stage/camera";
import { LAYOUTS, type Layout, PANES, cells } from "../stage/layout";
import { type Mark, NOTHING_SEEN, type Seen, Stage, type Subject } from "../stage/stage";
import type { Point, Tool } from "../stage/tools";
import { GROUNDS, StageBar, type ViewSettings, useViewSettings } from "./StageBar";
import { paperZoom } from "./screen";

export interface PaneLabel {
  name: string;
  /** A figure or a remark beneath the name. */
  detail?: string;
  /** Opens the choice of what the pane shows. */
  onChoose: (anchor: HTMLElement) => void;
}

export interface StageHandle {
  goTo: (at: Point) => void;
  middle: () => Point;
}

/** As shares of the picture's sides, for tests. */
const middleOf = ({ left, top, right, bottom }: PartBox) =>
  `${((left + right) / 2).toFixed(3)} ${((top + bottom) / 2).toFixed(3)}`;

export function StageView(props: {
  subject: Subject;
  labels: PaneLabel[];
  /** Resolution of the print, where there is one. */
  ppi?: number;
  /** From how far the print is seen, in metres. */
  distance?: number;
  layout: Layout;
  onLayout: (layout: Layout) => void;
  spots: Spot[];
  marks: Mark[];
  onSpot: (index: number) => void;
  onPin: (at: Point) => void;
  spotsMenu: (anchor: HTMLElement) => void;
  map: boolean;
  onMap: (shown: boolean) => void;
  onRehearse: () => void;
  tool?: Tool;
  readout?: string;
  onPointing: (at: Point | undefined) => void;
  onSeen: (seen: Seen) => void;
  onStep: (by: 1 | -1) => void;
  handle: (handle: StageHandle | undefined) => void;
  /** Something lies over the lower left corner. */
  covered: boolean;
}) {
  const { subject, layout, labels, onPointing, handle, onSeen } = props;
  const [stage, setStage] = useState<Stage>();
  const [settings, setSettings] = useViewSettings();
  const [navigator, setNavigator] = useKept("navigator", true);
  const [turn, setTurn] = useState(0);
  const [timed, setTimed] = useState(false);
  const seen = useSyncExternalStore(
    useCallback((listener) => stage?.subscribe(listener) ?? (() => undefined), [stage]),
    () => stage?.snapshot() ?? NOTHING_SEEN,
  );

  const attach = useCallback((canvas: HTMLCanvasElement | null) => {
    if (!canvas) return;
    const made = new Stage(canvas);
    setStage(made);
    return () => {
      made.dispose();
      setStage(undefined);
    };
  }, []);
  useEffect(() => stage?.show(subject), [stage, subject]);
  useEffect(() => stage?.setLayout(layout), [stage, layout]);
  useEffect(() => stage?.setSmooth(settings.smooth), [stage, settings.smooth]);
  useEffect(() => stage?.setMarks(props.marks), [stage, props.marks]);
  useEffect(() => stage?.setTool(props.tool), [stage, props.tool]);
  useEffect(() => stage?.setTurn(turn), [stage, turn]);
  useEffect(() => stage?.onPointing(onPointing), [stage, onPointing]);
  useEffect(() => onSeen(seen), [seen, onSeen]);
  useEffect(() => {
    handle(stage && { goTo: (at) => stage.goToPlace(at), middle: () => stage.middle() });
    return () => handle(undefined);
  }, [stage, handle]);
  useEffect(() => {
    if (!timed || layout !== "blink") return;
    const timer = setInterval(() => setTurn((now) => 1 - now), settings.blinkMs);
    return () => clearInterval(timer);
  }, [timed, layout, settings.blinkMs]);

  const keyDown = (e: KeyboardEvent) => {
    if (!stage || e.ctrlKey || e.metaKey || e.altKey) return;
    const step = e.shiftKey ? 400 : 80;
    const actions: Record<string, () => void> = {
      ArrowLeft: () => stage.panBy(step, 0),
      ArrowRight: () => stage.panBy(-step, 0),
      ArrowUp: () => stage.panBy(0, step),
      ArrowDown: () => stage.panBy(0, -step),
      "+": () => stage.zoomBy(1.25),
      "=": () => stage.zoomBy(1.25),
      "-": () => stage.zoomBy(0.8),
      f: () => stage.fit(),
      p: () => stage.zoomTo(1),
      ",": () => stage.setCurtain(seen.curtain - 0.02),
      ".": () => stage.setCurtain(seen.curtain + 0.02),
      o: () => stage.setOnly(0),
      b: () => (layout === "blink" ? setTurn(1 - turn) : props.onLayout("blink")),
      v: () => props.onLayout(LAYOUTS[(LAYOUTS.indexOf(layout) + 1) % LAYOUTS.length] ?? "curtain"),
      n: () => setNavigator(!navigator),
      m: () => props.onMap(!props.map),
      s: () => props.onPin(stage.middle()),
      "[": () => props.onStep(-1),
      "]": () => props.onStep(1),
    };
    const spot = Number(e.key) - 1;
    const action = actions[e.key] ?? (props.spots[spot] && (() => props.onSpot(spot)));
    if (action) {
      e.preventDefault();
      action();
    }
  };

  const ready = seen.panes.reduce((sum, p) => sum + p.ready, 0);
  const needed = seen.panes.reduce((sum, p) => sum + p.needed, 0);
  const light = settings.ground === GROUNDS[2].shade || settings.ground === GROUNDS[3].shade;
  const shownPanes = layout === "blink" ? [turn] : Array.from({ length: PANES[layout] }, (_, i) => i);
  return (
    <>
      <Box
        component="section"
        aria-label="Stage"
        data-testid="stage"
        data-ready={ready}
        data-needed={needed}
        data-zoom={seen.zoom.toFixed(4)}
        data-middle={seen.part && middleOf(seen.part)}
        data-blend={seen.blend}
        data-curtain={seen.curtain.toFixed(4)}
        data-layout={layout}
        sx={{ position: "relative", flex: 1, minWidth: 0, minHeight: 0, bgcolor: settings.ground, overflow: "hidden" }}
      >
        <canvas
          ref={attach}
          tabIndex={0}
          role="img"
          aria-label={`${labels
            .slice(0, PANES[layout])
            .map((l) => l.name)
            .join("; ")}, at ${Math.round(seen.zoom * 100)} per cent`}
          onKeyDown={keyDown}
          onKeyUp={(e) => e.key === "o" && stage?.setOnly(undefined)}
          onBlur={() => stage?.setOnly(undefined)}
          style={{
            position: "absolute",
            inset: 0,
            width: "100%",
            height: "100%",
            touchAction: "none",
            outlineOffset: -2,
          }}
        />
        {layout === "curtain" && <Curtain share={seen.curtain} onMove={(share) => stage?.setCurtain(share)} />}
        <Rules layout={layout} light={light} />
        {shownPanes.map((i) => {
          const label = labels[i];
          const standing = seen.panes[i] ?? { ready: 0, needed: 0 };
          const arriving = standing.ready < standing.needed;
          return (
            label && (
              <PaneName
                key={i}
                pane={i}
                layout={layout}
                label={label}
                share={arriving ? standing.ready / standing.needed : 1}
                detail={
                  arriving
                    ? `${standing.ready} of ${standing.needed} tiles`
                    : (label.detail ??
                      (seen.fromOriginal && i > 0 ? "this far off, enlarging does not show: zoom in" : undefined))
                }
              />
            )
          );
        })}
        {navigator && !props.covered && seen.part && (
          <Navigator thumbnail={subject.thumbnail} part={seen.part} onGo={(x, y) => stage?.goTo(x, y)} />
        )}
      </Box>
      <StageBar
        layout={layout}
        onLayout={props.onLayout}
        timed={timed}
        onTimed={setTimed}
        onTurn={() => setTurn(1 - turn)}
        zoom={seen.zoom}
        zooms={paperZooms(settings, props.ppi, props.distance)}
        onFit={() => stage?.fit()}
        onZoom={(zoom) => stage?.zoomTo(zoom)}
        spots={props.spots}
        onSpot={props.onSpot}
        spotsMenu={props.spotsMenu}
        map={props.map}
        onMap={props.onMap}
        onRehearse={props.onRehearse}
        navigator={navigator}
        onNavigator={setNavigator}
        settings={settings}
        onSettings={setSettings}
        readout={props.readout}
      />
    </>
  );
}

/** Zooms at which the screen shows the print as it will be seen. */
function paperZooms(settings: ViewSettings, ppi?: number, distance?: number): { name: string; zoom: number }[] {
  if (!ppi || !settings.screenPpi) return [];
  const zoom = paperZoom(settings.screenPpi, ppi, window.devicePixelRatio);
  const named = [{ name: `as on paper, ${decimal(zoom * 100, 0)} %`, zoom }];
  if (distance) {
    const there = (zoom * settings.eyeM) / distance;
    named.push({ name: `as from ${decimal(distance, 1)} m, ${decimal(there * 100, 0)} %`, zoom: there });
  }
  return named;
}

/** Thin lines between panes that lie side by side. */
function Rules({ layout, light }: { layout: Layout; light: boolean }) {
  if (layout === "curtain" || layout === "blink") return null;
  const lines = new Map<string, object>();
  for (const cell of cells(layout, { width: 6, height: 6 })) {
    const [x, y] = [(cell.left / 6) * 100, (cell.top / 6) * 100];
    if (x > 0) lines.set(`x${x}`, { left: `${x}%`, top: 0, bottom: 0, width: "1px" });
    if (y > 0) lines.set(`y${y}`, { top: `${y}%`, left: 0, right: 0, height: "1px" });
  }
  return [...lines].map(([key, place]) => (
    <Box key={key} sx={{ position: "absolute", pointerEvents: "none", bgcolor: light ? "#0008" : "#fff8", ...place }} />
  ));
}

/** What a pane shows: a button that opens the choice; above it, how much is still to come. */
function PaneName(props: {
  pane: number;
  layout: Layout;
  label: PaneLabel;
  detail?: string;
  share: number;
}): ReactNode {
  const { pane, layout, label, share } = props;
  const cell = cells(layout, { width: 6, height: 6 })[pane] ?? { left: 0, top: 0, width: 6, height: 6 };
  const right = layout === "curtain" && pane === 1;
  const percent = (part: number) => `${(part / 6) * 100}%`;
  return (
    <Box
      sx={{
        position: "absolute",
        left: percent(cell.left),
        top: percent(cell.top),
        width: percent(cell.width),
        pointerEvents: "none",
        display: "flex",
        justifyContent: right ? "flex-end" : "flex-start",
        p: 1.5,
      }}
    >
      {share < 1 && (
        <Box
          role="progressbar"
          aria-label={label.name}
          aria-valuenow={Math.round(share * 100)}
          sx={{ position: "absolute", left: 0, top: 0, right: 0, height: 3 }}
        >
          <Box sx={{ height: "100%", width: `${share * 100}%`, bgcolor: "primary.main" }} />
        </Box>
      )}
      <Box
        component="button"
        aria-haspopup="menu"
        data-testid={`pane-${pane + 1}`}
        onClick={(e: { currentTarget: HTMLElement }) => label.onChoose(e.currentTarget)}
        sx={{
          pointerEvents: "auto",
          cursor: "pointer",
          font: "inherit",
          color: "text.primary",
          px: 1,
          py: 0.25,
          maxWidth: layout === "curtain" ? "45%" : "100%",
          bgcolor: "background.paper",
          border: 1,
          borderColor: "divider",
          textAlign: right ? "right" : "left",
        }}
      >
        <Typography variant="caption" sx={{ fontWeight: 600, display: "flex" }}>
          <Box component="span" sx={visuallyHidden}>
            Pane {pane + 1} shows{" "}
          </Box>
          <Box
            component="span"
            sx={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap", minWidth: 0 }}
          >
            {label.name}
          </Box>
          <Box component="span" aria-hidden sx={{ color: "primary.main", pl: 0.5 }}>
            ▾
          </Box>
        </Typography>
        {props.detail && (
          <Typography variant="caption" noWrap sx={{ color: "text.secondary", display: "block", lineHeight: 1.2 }}>
            {props.detail}
          </Typography>
        )}
      </Box>
    </Box>
  );
}

/** The whole picture, small, with the part in view; a click goes there. */
function Navigator(props: { thumbnail: string; part: PartBox; onGo: (x: number, y: number) => void }) {
  const { left, top, right, bottom } = props.part;
  const percent = (share: number) => `${share * 100}%`;
  return (
    <Box
      onClick={(e) => {
        const box = e.currentTarget.getBoundingClientRect();
        props.onGo((e.clientX - box.left) / box.width, (e.clientY - box.top) / box.height);
      }}
      sx={{
        position: "absolute",
        left: 12,
        bottom: 12,
        border: 2,
        borderColor: "background.paper",
        cursor: "pointer",
        lineHeight: 0,
        overflow: "hidden",
      }}
    >
      <img src={props.thumbnail} alt="" style={{ maxWidth: 144, maxHeight: 112 }} />
      <Box
        sx={{
          position: "absolute",
          left: percent(left),
          top: percent(top),
          width: percent(right - left),
          height: percent(bottom - top),
          border: "1px solid #fff",
          boxShadow: "0 0 0 200px rgba(0,0,0,0.4)",
        }}
      />
    </Box>
  );
}

/** The movable edge between the original on its left and the result on its right. */
function Curtain({ share, onMove }: { share: number; onMove: (share: number) => void }) {
  const edge = useRef<HTMLDivElement>(null);
  const dragging = useRef(false);
  const follow = (e: PointerEvent) => {
    const box = edge.current?.parentElement?.getBoundingClientRect();
    if (dragging.current && box) onMove((e.clientX - box.left) / box.width);
  };
  const keys: Record<string, number> = { ArrowLeft: share - 0.02, ArrowRight: share + 0.02, Home: 0, End: 1 };
  return (
    <Box
      ref={edge}
      role="slider"
      tabIndex={0}
      aria-label="Curtain"
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(share * 100)}
      aria-valuetext={`${Math.round(share * 100)} per cent original`}
      onPointerDown={(e) => {
        dragging.current = true;
        e.currentTarget.setPointerCapture(e.pointerId);
      }}
      onPointerMove={follow}
      onPointerUp={() => (dragging.current = false)}
      onPointerCancel={() => (dragging.current = false)}
      onKeyDown={(e) => {
        const to = keys[e.key];
        if (to !== undefined) {
          e.preventDefault();
          onMove(to);
        }
      }}
      sx={{
        position: "absolute",
        top: 0,
        bottom: 0,
        left: `calc(${share * 100}% - 10px)`,
        width: 20,
        cursor: "ew-resize",
        touchAction: "none",
        "&::before": {
          content: '""',
          position: "absolute",
          left: 9,
          top: 0,
          bottom: 0,
          width: "2px",
          bgcolor: "#fff",
          boxShadow: "0 0 0 1px #0006",
        },
        "&::after": {
          content: '""',
          position: "absolute",
          left: 3,
          top: "calc(50% - 22px)",
          width: 14,
          height: 44,
          bgcolor: "background.paper",
          border: "1px solid",
          borderColor: "text.primary",
        },
      }}
    />
  );
}
