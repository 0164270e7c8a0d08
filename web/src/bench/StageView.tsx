/** The light table with what lies around it: panes and their names, curtain, zoom, spots. */

import { Box } from "@mui/material";
import { type Ref, useEffect, useState } from "react";
import type { Spot } from "../api/client";
import { AfterFirstLook, useEndsFirstLook } from "../app/FirstLook";
import { useOnDesk } from "../app/desk";
import { decimal } from "../app/format";
import { useKept } from "../app/kept";
import { LAYOUTS, type Layout, PANES, cells } from "../stage/layout";
import { AMPLIFIED, type Mark } from "../stage/paint";
import type { Stage, Subject } from "../stage/stage";
import type { Point, Tool } from "../stage/tools";
import { BETWEEN_PANES, GROUNDS } from "../look/tokens";
import { Curtain } from "./Curtain";
import { Navigator } from "./Navigator";
import { type PaneLabel, PaneName } from "./PaneName";
import { TONES } from "./Tones";
import { BAR_HEIGHT, StageBar, ZoomChoice } from "./StageBar";
import { type ViewSettings, useViewSettings } from "./viewSettings";
import { paperZoom } from "./screen";
import { useBench, useBenchStore } from "./state";
import { useTold } from "./told";
import { useSeen } from "./useStage";

export interface StageViewProps {
  stage?: Stage;
  /** Takes the canvas of the stage. */
  attach: Ref<HTMLCanvasElement>;
  subject: Subject;
  labels: PaneLabel[];
  /** Whether it is in view: keys are for what is seen. */
  active: boolean;
  /** Resolution of the print, where there is one. */
  ppi?: number;
  /** From how far the print is seen, in metres. */
  distance?: number;
  spots: Spot[];
  marks: Mark[];
  onSpot: (index: number) => void;
  onPin: (at: Point) => void;
  spotsMenu: (anchor: HTMLElement) => void;
  tool?: Tool;
  readout?: string;
}

export function StageView(props: StageViewProps) {
  const { stage, attach, subject, labels } = props;
  const store = useBenchStore();
  const { layout, map, difference, across, full, card } = useBench((state) => state);
  const [settings, setSettings] = useViewSettings();
  const [navigator, setNavigator] = useKept("navigator", true);
  const [turn, setTurn] = useState(0);
  const [timed, setTimed] = useState(false);
  const [frame, setFrame] = useState<HTMLElement | null>(null);
  const inPanes = labels.slice(0, PANES[layout]);
  useTold(stage, frame, inPanes.map((label) => label.name).join("; "));
  useEffect(() => stage?.show(subject), [stage, subject]);
  useEffect(() => stage?.setLayout(layout), [stage, layout]);
  useEffect(() => stage?.setSmooth(settings.smooth), [stage, settings.smooth]);
  useEffect(() => stage?.setMarks(props.marks), [stage, props.marks]);
  useEffect(() => stage?.setTool(props.tool), [stage, props.tool]);
  useEffect(() => stage?.setTurn(turn), [stage, turn]);
  useEffect(() => stage?.setAcross(across), [stage, across]);
  useEffect(() => stage?.setDifference(difference), [stage, difference]);
  useEffect(() => {
    if (!timed || layout !== "blink") return;
    const timer = setInterval(() => setTurn((now) => 1 - now), settings.blinkMs);
    return () => clearInterval(timer);
  }, [timed, layout, settings.blinkMs]);

  const setLayout = (next: Layout) => store.list({ layout: next });
  const toggleFull = () => store.setState({ full: !full });
  const alone = full && props.active;
  useEffect(() => {
    document.documentElement.toggleAttribute("data-stage-alone", alone);
    return () => document.documentElement.removeAttribute("data-stage-alone");
  }, [alone]);
  useOnDesk(
    "stage",
    stage && props.active
      ? {
          pan: (dx, dy) => stage.panBy(dx, dy),
          zoomBy: (factor) => stage.zoomBy(factor),
          zoomTo: (zoom) => stage.zoomTo(zoom),
          fit: () => stage.fit(),
          moveCurtain: (by) => stage.moveCurtain(by),
          turnCurtain: () => {
            if (layout !== "curtain") setLayout("curtain");
            store.list({ across: !across });
          },
          only: (pane) => stage.setOnly(pane),
          loupe: (shown) => stage.setLoupe(shown),
          blink: () => (layout === "blink" ? setTurn(1 - turn) : setLayout("blink")),
          nextLayout: () => setLayout(LAYOUTS[(LAYOUTS.indexOf(layout) + 1) % LAYOUTS.length] ?? "curtain"),
          setLayout,
          toggleNavigator: () => setNavigator(!navigator),
          toggleDifference: () => store.setState({ difference: !difference }),
          toggleMap: () => store.setState({ map: !map }),
          toggleFull,
          leaveFull: full ? toggleFull : undefined,
          pin: () => props.onPin(stage.middle()),
          spots: props.spots.length,
          goToSpot: props.onSpot,
        }
      : undefined,
  );

  useEndsFirstLook(
    useSeen(stage, ({ panes }) => panes.length > 0 && panes.every((pane) => pane.ready > 0 || pane.draft)),
  );
  const light = settings.ground === GROUNDS[2].shade || settings.ground === GROUNDS[3].shade;
  return (
    <>
      <Box
        component="section"
        ref={setFrame}
        aria-label="Stage"
        data-testid="stage"
        data-layout={layout}
        sx={{ position: "relative", flex: 1, minWidth: 0, minHeight: 0, bgcolor: settings.ground, overflow: "hidden" }}
      >
        <canvas
          ref={attach}
          tabIndex={0}
          role="img"
          style={{
            position: "absolute",
            inset: 0,
            width: "100%",
            height: "100%",
            touchAction: "none",
            outlineOffset: -2,
          }}
        />
        {layout === "curtain" && <Curtain stage={stage} across={across} />}
        <Rules layout={layout} light={light} />
        <PaneNames stage={stage} labels={labels} layout={layout} turn={turn} across={across} difference={difference} />
        {navigator && <Navigator stage={stage} thumbnail={subject.thumbnail} />}
      </Box>
      <AfterFirstLook height={BAR_HEIGHT}>
        <StageBar
          layout={layout}
          onLayout={setLayout}
          timed={timed}
          onTimed={setTimed}
          onTurn={() => setTurn(1 - turn)}
          zoom={<StageZoom stage={stage} zooms={paperZooms(settings, props.ppi, props.distance)} />}
          spots={props.spots}
          onSpot={props.onSpot}
          spotsMenu={props.spotsMenu}
          map={map}
          onMap={(shown) => store.setState({ map: shown })}
          onRehearse={() => store.setState({ rehearsing: true })}
          onTones={() => store.setState({ card: TONES })}
          across={across}
          onAcross={(lying) => store.list({ across: lying })}
          full={full}
          onFull={toggleFull}
          navigator={navigator}
          onNavigator={setNavigator}
          settings={settings}
          onSettings={setSettings}
          readout={props.readout}
          givesWay={card !== undefined}
        />
      </AfterFirstLook>
    </>
  );
}

function StageZoom({ stage, zooms }: { stage?: Stage; zooms: { name: string; zoom: number }[] }) {
  return (
    <ZoomChoice
      zoom={useSeen(stage, (seen) => seen.zoom)}
      zooms={zooms}
      onFit={() => stage?.fit()}
      onZoom={(zoom) => stage?.zoomTo(zoom)}
    />
  );
}

/** The names of the panes in view, with how far their pixels are. */
function PaneNames(props: {
  stage?: Stage;
  labels: PaneLabel[];
  layout: Layout;
  turn: number;
  across: boolean;
  difference: boolean;
}) {
  const { stage, labels, layout, across, difference } = props;
  const panes = useSeen(stage, (seen) => seen.panes);
  const fromOriginal = useSeen(stage, (seen) => seen.fromOriginal);
  const shown = layout === "blink" ? [props.turn] : Array.from({ length: PANES[layout] }, (_, i) => i);
  return shown.map((i) => {
    const label = labels[i];
    const standing = panes[i] ?? { ready: 0, needed: 0 };
    const arriving = standing.ready < standing.needed;
    return (
      label && (
        <PaneName
          key={i}
          pane={i}
          layout={layout}
          across={across}
          label={label}
          share={arriving ? standing.ready / standing.needed : 1}
          detail={
            arriving
              ? `${standing.draft ? "a draft first, " : ""}${standing.ready} of ${standing.needed} tiles`
              : ((difference && i === 1 ? `by how much it differs from the first, ${AMPLIFIED} times` : label.detail) ??
                (fromOriginal && i > 0 ? "this far off, enlarging does not show: zoom in" : undefined))
          }
        />
      )
    );
  });
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
    <Box
      key={key}
      sx={{
        position: "absolute",
        pointerEvents: "none",
        bgcolor: light ? BETWEEN_PANES.onLight : BETWEEN_PANES.onDark,
        ...place,
      }}
    />
  ));
}
