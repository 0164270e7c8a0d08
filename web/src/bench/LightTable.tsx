/** The stage with everything that is asked about what it shows. */

import { Box } from "@mui/material";
import { useCallback, useEffect, useMemo, useState } from "react";
import {
  type Area,
  type Intent,
  type Mask,
  type Original,
  type OwnFace,
  type Plan,
  type Spot,
  sentence,
} from "../api/client";
import { type SheetPart, useTried } from "../api/queries";
import { inverse, through } from "../stage/affine";
import { PANES } from "../stage/layout";
import type { Opening, Stage } from "../stage/stage";
import { TILE } from "../stage/tiles";
import { Line, type Point } from "../stage/tools";
import { AreasPanel, FIRST_BRUSH, useAreaTool } from "./Areas";
import { PaneMenu } from "./PaneMenu";
import type { PaneLabel } from "./PaneName";
import { StageView } from "./StageView";
import { endOf } from "./blend";
import { around, drawnFace, ownFaces } from "./faces";
import { useFigures } from "./figures";
import { useMarkTool } from "./marking";
import type { Spotted } from "./looking";
import { type Pane, type Source, filledUp, linesUp, paneView } from "./panes";
import { type SpotsControl, SpotsMenu, pinned, useOpeningPlace, useSpots } from "./spots";
import { useBench, useBenchStore, useIntent } from "./state";
import { type Scope, changeArea } from "./treatments";
import { useLooking } from "./useLooking";
import { usePointerAtRest, useSeenAtRest, useStage } from "./useStage";
import { PLAIN_FRAME } from "./intent";

/** How long the view and the pointer rest before anything is asked about them. */
const VIEW_RESTS_MS = 350;
const POINTER_RESTS_MS = 160;

export function LightTable(props: {
  original: Original;
  source: Omit<Source, "extent">;
  /** Whether the plan is that of the intent as it is now. */
  settled: boolean;
  scope: Scope;
  /** Areas that are offered for what the picture shows. */
  offeredAreas?: Area[];
  /** Whether it is in view. */
  active: boolean;
  onFaceDrawn: (face: OwnFace | undefined) => void;
}) {
  const { original, scope, settled } = props;
  const { intent, plan, results } = props.source;
  const store = useBenchStore();
  const control = useIntent(store);
  const { change } = control;
  const state = useBench((all) => all);
  const { layout, map, areasOpen, facesShown, drawingFace, goingTo, marking, markRadius } = state;
  const [choosing, setChoosing] = useState<{ pane: number; anchor: HTMLElement }>();
  const [spotsAnchor, setSpotsAnchor] = useState<HTMLElement | null>(null);
  const [drawing, setDrawing] = useState(false);
  const [areaShown, setAreaShown] = useState(false);
  const [brush, setBrush] = useState(FIRST_BRUSH);
  const { stage, attach } = useStage();
  const rested = useSeenAtRest(stage, VIEW_RESTS_MS);
  const pointer = usePointerAtRest(stage, POINTER_RESTS_MS);
  const spots = useSpots(original);
  useLooking(rested, useMoved(stage), props.active);

  const factor = plan.resolved.factor;
  const extent = useMemo(
    () => ({ width: plan.sheet.width / factor, height: plan.sheet.height / factor }),
    [plan.sheet.width, plan.sheet.height, factor],
  );
  const { source, areaIsShown } = useSource(original, props.source, { extent, scope, settled, areaShown });
  const panes = filledUp(
    state.panes,
    intent,
    results.filter((result) => linesUp(result, plan, intent)),
    Math.max(PANES[layout], 2),
  );
  const views = panes.map((pane) => paneView(pane, source));
  const figures = useFigures(source, views.slice(0, PANES[layout]), rested, pointer, map);
  const inView = JSON.stringify(figures.inView);
  useEffect(
    () => store.setState({ viewPart: inView === undefined ? undefined : (JSON.parse(inView) as SheetPart) }),
    [store, inView],
  );
  const subject = useSubject(original, source, views, useOpening(original, source, spots, state.at));

  const detailOf = (pane: number) => {
    const view = views[pane];
    if (panes[pane]?.show === "now" && source.nowQuery)
      return state.edgeMask
        ? "White is made crisper, black is left alone"
        : areaIsShown
          ? "Amber is the area"
          : "Amber is filled";
    return view && figures.detailOf(view);
  };
  const labels: PaneLabel[] = views.map((view, pane) => ({
    name: view.name,
    detail: detailOf(pane),
    onChoose: (anchor) => setChoosing({ pane, anchor }),
  }));

  const goTo = (index: number) => {
    const spot = spots.spots[index];
    if (!spot) return;
    stage?.goToPlace(through(plan.place, spot));
    store.setState({ at: { spot: index + 1 } });
  };
  const pin = (at: Point) =>
    void spots
      .set(pinned(spots.spots, through(inverse(plan.place), at), original.facts.size))
      .catch((error: unknown) => store.say(sentence(error)));

  const area = areasOpen && scope !== "whole" ? control.intent.areas?.[scope] : undefined;
  const onDrawn = useCallback(
    (mask: Mask) => scope !== "whole" && change(changeArea(store.getState().intent, scope, { mask })),
    [change, store, scope],
  );
  const areaTool = useAreaTool(drawing ? area : undefined, brush, plan.place, original.facts.size, onDrawn);
  const markTool = useMarkTool(marking, markRadius, plan.place, original.facts.size, control);
  const faceTool = useFaceTool(drawingFace, plan, props.onFaceDrawn);
  const marks = useMarks(spots.spots, spotsAnchor !== null, facesShown ? control.intent : undefined, plan);
  useEffect(() => {
    if (goingTo) stage?.goToPlace(through(plan.place, around(goingTo)));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- it is gone to once, wherever the picture lies later
  }, [goingTo]);
  const choose = (pane: Pane) => {
    if (!choosing) return;
    store.list({ panes: panes.map((old, i) => (i === choosing.pane ? pane : old)).slice(0, 6) });
    setChoosing(undefined);
  };

  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
      <Box sx={{ position: "relative", flex: 1, minWidth: 0, minHeight: 0, display: "flex", flexDirection: "column" }}>
        <StageView
          stage={stage}
          attach={attach}
          subject={subject}
          labels={labels}
          active={props.active}
          ppi={plan.resolved.print?.ppi}
          distance={plan.verdict?.distance_m}
          spots={spots.spots}
          marks={marks}
          onSpot={goTo}
          onPin={pin}
          spotsMenu={setSpotsAnchor}
          tool={faceTool ?? markTool ?? areaTool}
          readout={figures.readout}
        />
      </Box>
      {areasOpen && (
        <AreasPanel
          intent={control.intent}
          offered={props.offeredAreas}
          size={original.facts.size}
          scope={scope}
          onScope={(next) => store.setState({ scope: next })}
          change={change}
          drawing={drawing}
          onDrawing={setDrawing}
          shown={areaShown}
          onShown={setAreaShown}
          brush={brush}
          onBrush={setBrush}
          onClose={() => {
            setDrawing(false);
            setAreaShown(false);
            store.setState({ areasOpen: false });
          }}
        />
      )}
      <SpotsMenu
        anchor={spotsAnchor}
        control={spots}
        onClose={() => setSpotsAnchor(null)}
        onGo={goTo}
        onPin={() => stage && pin(stage.middle())}
        onTrouble={(error) => store.say(sentence(error))}
      />
      <PaneMenu anchor={choosing?.anchor} source={source} onClose={() => setChoosing(undefined)} onChoose={choose} />
    </Box>
  );
}

const NO_MARKS: never[] = [];

/** What the panes show is made of, with what is drawn over it and what is being blended. */
function useSource(
  original: Original,
  given: Omit<Source, "extent">,
  at: { extent: Source["extent"]; scope: Scope; settled: boolean; areaShown: boolean },
): { source: Source; areaIsShown: boolean } {
  const { map, blend, areasOpen, wearShown, marking, edgeMask } = useBench((state) => state);
  const control = useIntent(useBenchStore());
  const { scope } = at;
  const areaIsShown = areasOpen && at.areaShown && scope !== "whole";
  const areaQuery = areaIsShown ? `?show=area&area=${scope}` : undefined;
  const wearQuery = (wearShown || marking) && given.intent.repair?.wear ? "?show=wear" : undefined;
  const low = useTried(original.id, blend && endOf(control.intent, scope, blend.low)).data;
  const high = useTried(original.id, blend && endOf(control.intent, scope, blend.high)).data;
  const source: Source = {
    ...given,
    extent: at.extent,
    query: map ? "?show=departure" : undefined,
    nowQuery: edgeMask ? "?show=edges" : (areaQuery ?? wearQuery),
    blend: !map && blend && low && high ? { low, high, share: blend.share, settled: at.settled } : undefined,
  };
  return { source, areaIsShown };
}

/** A line from eye to eye, while a face is drawn. */
function useFaceTool(drawing: boolean, plan: Plan, onDrawn: (face: OwnFace | undefined) => void) {
  return useMemo(() => {
    if (!drawing) return undefined;
    const back = inverse(plan.place);
    return new Line((from, to) => onDrawn(drawnFace(through(back, from), through(back, to))));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- a line that is being drawn outlives a new plan
  }, [drawing]);
}

/** Whether a person has moved the view since the picture opened: then it is at none of the spots. */
function useMoved(stage: Stage | undefined): boolean {
  const store = useBenchStore();
  const [moved, setMoved] = useState(false);
  useEffect(
    () =>
      stage?.onMoved(() => {
        setMoved(true);
        const { at } = store.getState();
        if (typeof at === "object" && "spot" in at) store.setState({ at: undefined });
      }),
    [stage, store],
  );
  return moved;
}

/** The spots, where they are shown, and the faces of an intent, where they are. */
function useMarks(spots: Spot[], pinsShown: boolean, facesOf: Intent | undefined, plan: Plan) {
  return useMemo(() => {
    const pins = spots.map((spot, i) => ({ ...through(plan.place, spot), label: String(i + 1) }));
    const faces = facesOf ? ownFaces(facesOf, plan) : [];
    const faceMarks = faces.map((own, i) => {
      const { reach, ...at } = around(own);
      return { ...through(plan.place, at), reach, label: `face ${i + 1}` };
    });
    if (!pinsShown && faceMarks.length === 0) return NO_MARKS;
    return pinsShown ? [...pins, ...faceMarks] : faceMarks;
  }, [spots, plan, pinsShown, facesOf]);
}

/** Where the picture opens: where its address said, or at a place of its own. Spots that are pinned later move nothing. */
function useOpening(
  original: Original,
  { plan, extent }: Source,
  spots: SpotsControl,
  at: Spotted | undefined,
): Opening | undefined {
  const own = useOpeningPlace(original);
  const [first, setFirst] = useState<{ of: number; at?: Spotted; spot?: Spot }>();
  const toSpot = typeof at === "object" && "spot" in at ? at.spot : undefined;
  if (first?.of !== original.id && (toSpot === undefined || spots.known))
    setFirst({ of: original.id, at, spot: toSpot === undefined ? undefined : spots.spots[toSpot - 1] });
  const { width, height } = extent;
  return useMemo(() => {
    if (first?.of !== original.id) return undefined;
    if (first.at === "whole") return first.at;
    if (first.at && "x" in first.at) return { x: first.at.x * width, y: first.at.y * height, zoom: first.at.zoom };
    const place = first.spot ?? own;
    return place && through(plan.place, place);
  }, [first, original.id, own, plan.place, width, height]);
}

/** What is on the table; another object only when it says something else. */
function useSubject(
  original: Original,
  { hash, intent, plan, extent }: Source,
  views: ReturnType<typeof paneView>[],
  opening: Opening | undefined,
) {
  const factor = plan.resolved.factor;
  const described = JSON.stringify(views.map((v) => v.candidate));
  return useMemo(() => {
    const { width, height } = original.facts.size;
    const far = Math.max(0, Math.ceil(Math.log2(Math.max(plan.sheet.width, plan.sheet.height) / TILE)));
    const plain = intent.frame === undefined || JSON.stringify(intent.frame) === JSON.stringify(PLAIN_FRAME);
    const bare = plain && Math.abs(extent.width - width) < 1 && Math.abs(extent.height - height) < 1;
    const bicubic = `/api/v1/tiles/${hash}/${plan.plain.bicubic}`;
    return {
      // Another crop is another picture; the same one at another size is not.
      picture: `${original.id} ${extent.width.toFixed(0)} ${extent.height.toFixed(0)} ${JSON.stringify(intent.frame)}`,
      opening,
      ownLevels: plan.own_levels,
      opensAtOnce: plan.is_there,
      original: extent,
      factor,
      thumbnail: bare ? `/api/v1/originals/${original.id}/thumbnail` : `${bicubic}/${far}/0/0`,
      under: { base: bicubic, size: plan.sheet, original: extent },
      panes: views.map((v) => v.candidate),
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the candidates are compared by what they say
  }, [
    described,
    original.id,
    extent,
    factor,
    hash,
    plan.plain.bicubic,
    plan.sheet,
    plan.own_levels,
    plan.is_there,
    intent.frame,
    opening,
  ]);
}
