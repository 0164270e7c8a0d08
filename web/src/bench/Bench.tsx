/** One picture on the bench: ticket line, stage or strip, process rail. */

import { rules } from "../api/rules";
import { Alert, Box, Button, Menu, MenuItem, Snackbar } from "@mui/material";
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Suspense, lazy, useCallback, useEffect, useMemo, useRef, useState } from "react";
import {
  type Letter,
  type Mask,
  type Model,
  type OrderContents,
  type Original,
  type OwnFace,
  type Recipe,
  type Steps,
  type Intent,
  answered,
  api,
  newKey,
  sentence,
  type Spot,
  Refusal,
} from "../api/client";
import {
  keys,
  suggestionQuery,
  useForecast,
  useKeptWish,
  useMeasures,
  usePlan,
  useReading,
  useTried,
} from "../api/queries";
import { decimal } from "../app/format";
import { useKept } from "../app/kept";
import { useLater, usePaced } from "../app/later";
import { inverse, through } from "../stage/affine";
import { type Layout, PANES } from "../stage/layout";
import { NOTHING_SEEN, type Seen } from "../stage/stage";
import { TILE } from "../stage/tiles";
import { Line, type Point } from "../stage/tools";
import { Strip } from "../strip/Strip";
import { AreasPanel, FIRST_BRUSH, useAreaTool } from "./Areas";
import { Rail } from "./Rail";
import { type PaneLabel, type StageHandle, StageView } from "./StageView";
import { TicketLine } from "./TicketLine";
import { TreatmentTabs } from "./TreatmentTabs";
import { type Blend, Blending, endOf } from "./blend";
import { cleanLine } from "./cards/CleanCard";
import { choiceText } from "./cards/EnlargeCard";
import { type Pane, type Source, filledUp, linesUp, paneView, plainName } from "./panes";
import { around, drawnFace, ownFaces, usualStrength } from "./faces";
import { SpotsMenu, openingSpot, pinned, useSpots } from "./spots";
import { type Scope, changeArea, changeIn, letters, stepsIn, switched, treatmentOf } from "./treatments";
import { NOTHING_CLEANED, PLAIN_FRAME, type WishControl, useWish } from "./wish";

// Its charts are for those who open it.
const Rehearsal = lazy(() => import("../rehearsal/Rehearsal").then((module) => ({ default: module.Rehearsal })));

/** What the panes show until the person chooses. */
const FIRST_PANES: Pane[] = [{ show: "plain", kernel: "bicubic" }, { show: "now" }];

/** Side of the part around the pointer that is measured, in pixels of the print. */
const POINTER_PART = 96;

interface BenchProps {
  original: Original;
  contents: OrderContents;
  models: Model[];
  /** The strip instead of the stage. */
  strip: boolean;
  /** Whether it is in view: keys are for what is seen. */
  active: boolean;
  onBench: () => void;
  onCancel: (job: number) => void;
  onRemove: () => void;
}

/** Opens with what was asked for last, or with what is suggested. */
export function Bench(props: BenchProps) {
  const first = useKeptWish(props.original.id);
  const { id } = props.original;
  const beginAgain = async () => {
    await answered(api.DELETE("/api/v1/originals/{id}/wish", { params: { path: { id } } }));
    await first.refetch();
  };
  if (first.data) return <BenchWith key={first.dataUpdatedAt} {...props} first={first.data} />;
  return (
    <Box component="main" sx={{ flex: 1, bgcolor: "#777", display: "grid", placeItems: "center" }} aria-busy="true">
      {first.error && (
        <Alert
          severity="error"
          action={
            isUnreadable(first.error) && (
              <Button color="inherit" size="small" onClick={() => void beginAgain()}>
                Begin again
              </Button>
            )
          }
        >
          {sentence(first.error)}
        </Alert>
      )}
    </Box>
  );
}

/** Whether what was asked for is there and cannot be read: it is given up only when a person says so. */
const isUnreadable = (error: unknown) => error instanceof Refusal && error.problem.code === "intent.unreadable";

function BenchWith(props: BenchProps & { first: Intent }) {
  const { original, contents, models, active } = props;
  const control = useWish(props.first);
  // While a hand drags or types, the server is asked a few times a second.
  const wish = usePaced(control.wish, 120);
  const [pattern, setPattern] = useKept("pattern", rules().naming.default_pattern);
  const [said, setSaid] = useState<string>();
  const [edgeMask, setEdgeMask] = useState(false);
  const [scope, setScope] = useState<Scope>("whole");
  const client = useQueryClient();
  const say = useCallback((text: string) => setSaid(text), []);

  const reading = useReading(original.id);
  const { target, frame, surround, distance_m } = wish;
  const suggestion = useQuery({
    ...suggestionQuery(original.id, { target, frame, surround, distance_m }),
    placeholderData: keepPreviousData,
  });
  const { follow, change } = control;
  const latest = useRef<Recipe>(undefined);
  useEffect(() => {
    if (!suggestion.data || suggestion.isPlaceholderData) return;
    if (latest.current) follow(latest.current, suggestion.data.recipe);
    latest.current = suggestion.data.recipe;
  }, [suggestion.data, suggestion.isPlaceholderData, follow]);
  const plan = usePlan(original.id, wish);
  const answer = plan.error ? undefined : plan.data;
  const fine = answer !== undefined && !plan.isPlaceholderData && answer.problem == null;
  // The file's size is measured once the view has what it needs.
  const rested = useLater(wish, 900);
  const forecast = useForecast(original.id, rested, fine && rested === wish);
  const blocked = plan.isError || answer === undefined || answer.problem != null;

  // What is pressed again before the answer is there is the same order.
  const key = useRef(newKey());
  const run = useMutation({
    mutationFn: () => {
      const body = { ...control.wish, pattern };
      // Ordered is ordered, even when the page is closed at once; a browser keeps no more than 64 KiB on its way for that.
      const keepalive = JSON.stringify(body).length < 60_000;
      const params = { path: { id: original.id }, header: { "Idempotency-Key": key.current } };
      return answered(api.POST("/api/v1/originals/{id}/jobs", { params, body, keepalive }));
    },
    onSettled: () => {
      key.current = newKey();
    },
    onSuccess: () => client.invalidateQueries({ queryKey: keys.order(original.order_id) }),
    onError: (error) => say(sentence(error)),
  });

  const { undo, redo } = control;
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (!active || !(e.ctrlKey || e.metaKey) || (e.target as HTMLElement).tagName === "INPUT") return;
      if (e.key === "z" && !e.shiftKey) undo?.();
      else if ((e.key === "z" && e.shiftKey) || e.key === "y") redo?.();
      else if (e.key === "Enter" && !blocked) run.mutate();
      else return;
      e.preventDefault();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });

  const safeScope: Scope = scope !== "whole" && wish.areas?.[scope] ? scope : "whole";
  const changeSteps = useCallback(
    (part: Partial<Steps>) => change(changeIn(control.wish, safeScope, part)),
    [change, control.wish, safeScope],
  );
  const [blend, setBlend] = useState<Blend>();
  const [areasOpen, setAreasOpen] = useState(false);
  const [rehearsing, setRehearsing] = useState(false);
  const [facesShown, setFacesShown] = useState(false);
  const [drawingFace, setDrawingFace] = useState(false);
  const [goingTo, setGoingTo] = useState<OwnFace>();
  const jobs = contents.jobs.filter((j) => j.original_id === original.id);
  const results = contents.enlargements.filter((e) => e.original_id === original.id);
  // Alone, a treatment is its model; among others, also what is cleaned before it tells them apart.
  const nameOf = useCallback(
    (letter: Letter) => {
      const treated = treatmentOf(wish, letter);
      if (!treated) return letter;
      const model = choiceText(treated.enlarge, models, letter === (wish.letter ?? "A") ? answer : undefined);
      return letters(wish).length > 1
        ? `${letter}: ${model}; clean ${cleanLine(treated.clean ?? NOTHING_CLEANED)}`
        : model;
    },
    [wish, models, answer],
  );
  return (
    <Box component="main" sx={{ flex: 1, minWidth: 0, minHeight: 0, display: "flex", flexDirection: "column" }}>
      <TicketLine
        original={original}
        control={control}
        plan={answer}
        error={plan.error}
        fileBytes={forecast.data?.bytes}
      />
      {!answer ? (
        <Box sx={{ flex: 1, bgcolor: "#777" }} />
      ) : props.strip ? (
        <Strip
          original={original}
          wish={wish}
          plan={answer}
          control={control}

          onSay={say}
          onBench={props.onBench}
        />
      ) : (
        <LightTable
          original={original}
          control={control}
          source={{ hash: original.hash, wish, plan: answer, nameOf, results }}
          blend={blend}
          settled={control.wish === wish && !plan.isPlaceholderData}
          edgeMask={edgeMask}
          scope={safeScope}
          onScope={setScope}
          areasOpen={areasOpen}
          onAreas={setAreasOpen}
          facesShown={facesShown}
          drawingFace={drawingFace}
          onFaceDrawn={(face) => {
            setDrawingFace(false);
            if (!face) return say("Draw from the middle of one eye to the middle of the other.");
            setFacesShown(true);
            change({
              own_faces: [...ownFaces(control.wish, answer), face],
              faces: control.wish.faces ?? suggestion.data?.recipe.faces ?? { strength: usualStrength(models) },
            });
          }}
          goingTo={goingTo}
          onRehearse={() => setRehearsing(true)}
          onSay={say}
        />
      )}
      {rehearsing && (
        <Suspense>
          <Rehearsal
            original={original}
            wish={control.wish}
            onClose={() => setRehearsing(false)}
            onTake={(enlarge, name) => {
              changeSteps({ enlarge });
              setRehearsing(false);
              say(`${name} is on the rail now.`);
            }}
          />
        </Suspense>
      )}
      <Blending value={setBlend}>
        <Rail
          original={original}
          models={models}
          control={control}
          steps={stepsIn(control.wish, safeScope)}
          changeSteps={changeSteps}
          tabs={
            <TreatmentTabs
              original={original}
              wish={control.wish}
              scope={safeScope}
              change={(part) => {
                if (part.letter) setScope("whole");
                change(part);
              }}
              changeSteps={changeSteps}
              onAreas={() => {
                props.onBench();
                setAreasOpen(!areasOpen);
              }}
              onSay={say}
            />
          }
          reading={reading.data}
          suggestion={suggestion.data}
          onMask={setEdgeMask}
          facesShown={facesShown}
          onFacesShown={setFacesShown}
          onDrawFace={() => {
            props.onBench();
            setDrawingFace(true);
            say("Draw a line from the middle of one eye to the middle of the other.");
          }}
          onFace={(face) => {
            props.onBench();
            setGoingTo({ ...face });
          }}
          pattern={pattern}
          onPattern={setPattern}
          plan={answer}
          fileBytes={forecast.data?.bytes}
          blocked={blocked}
          starting={run.isPending}
          onRun={() => run.mutate()}
          job={jobs.find((j) => j.state === "running" || j.state === "waiting")}
          onCancel={props.onCancel}
          onRemove={props.onRemove}
          results={results}
        />
      </Blending>
      <Snackbar open={said !== undefined} onClose={() => setSaid(undefined)} autoHideDuration={8000} message={said} />
    </Box>
  );
}

/** The stage with everything that is asked about what it shows. */
function LightTable(props: {
  original: Original;
  control: WishControl;
  source: Omit<Source, "extent">;
  /** The control at hand that only blends. */
  blend?: Blend;
  /** Whether the plan is that of the wish as it is now. */
  settled: boolean;
  edgeMask: boolean;
  scope: Scope;
  onScope: (scope: Scope) => void;
  areasOpen: boolean;
  onAreas: (open: boolean) => void;
  /** Whether faces are marked. */
  facesShown: boolean;
  /** Whether the hand draws a face, from eye to eye. */
  drawingFace: boolean;
  onFaceDrawn: (face: OwnFace | undefined) => void;
  /** The face that was gone to last; another object each time. */
  goingTo?: OwnFace;
  onRehearse: () => void;
  onSay: (text: string) => void;
}) {
  const { original, control, scope, onSay } = props;
  const { wish, plan, results, hash } = props.source;
  const { change } = control;
  const [layout, setLayout] = useKept<Layout>("layout", "curtain");
  const [chosen, setChosen] = useKept<Pane[]>("panes", FIRST_PANES);
  const [map, setMap] = useState(false);
  const [choosing, setChoosing] = useState<{ pane: number; anchor: HTMLElement }>();
  const [spotsAnchor, setSpotsAnchor] = useState<HTMLElement | null>(null);
  const [pointer, setPointer] = useState<Point>();
  const [seen, setSeen] = useState<Seen>(NOTHING_SEEN);
  const [drawing, setDrawing] = useState(false);
  const [areaShown, setAreaShown] = useState(false);
  const [brush, setBrush] = useState(FIRST_BRUSH);
  const handle = useRef<StageHandle>(undefined);
  const takeHandle = useCallback((h: StageHandle | undefined) => (handle.current = h), []);
  const spots = useSpots(original);

  const factor = plan.resolved.factor;
  const extent = useMemo(
    () => ({ width: plan.sheet.width / factor, height: plan.sheet.height / factor }),
    [plan.sheet.width, plan.sheet.height, factor],
  );
  const nowQuery = props.edgeMask
    ? "?show=edges"
    : props.areasOpen && areaShown && scope !== "whole"
      ? `?show=area&area=${scope}`
      : undefined;
  const { blend, settled } = props;
  const low = useTried(original.id, blend && endOf(control.wish, scope, blend.low)).data;
  const high = useTried(original.id, blend && endOf(control.wish, scope, blend.high)).data;
  const source: Source = {
    ...props.source,
    extent,
    query: map ? "?show=departure" : undefined,
    nowQuery,
    blend: !map && blend && low && high ? { low, high, share: blend.share, settled } : undefined,
  };
  const panes = filledUp(
    chosen,
    wish,
    results.filter((result) => linesUp(result, plan, wish)),
    Math.max(PANES[layout], 2),
  );
  const views = panes.map((pane) => paneView(pane, source));

  const described = JSON.stringify(views.map((v) => v.candidate));
  // The first of the spots that the picture came with, or the eyes where nobody pinned any; those that are pinned later move nothing.
  const [first, setFirst] = useState<{ of: number; spot?: Spot }>();
  if (spots.known && first?.of !== original.id) setFirst({ of: original.id, spot: openingSpot(spots) });
  const opening = first?.of === original.id ? first.spot : undefined;
  const subject = useMemo(() => {
    const { width, height } = original.facts.size;
    const far = Math.max(0, Math.ceil(Math.log2(Math.max(plan.sheet.width, plan.sheet.height) / TILE)));
    const plain = wish.frame === undefined || JSON.stringify(wish.frame) === JSON.stringify(PLAIN_FRAME);
    const bare = plain && Math.abs(extent.width - width) < 1 && Math.abs(extent.height - height) < 1;
    const bicubic = `/api/v1/tiles/${hash}/${plan.plain.bicubic}`;
    return {
      // Another crop is another picture; the same one at another size is not.
      picture: `${original.id} ${extent.width.toFixed(0)} ${extent.height.toFixed(0)} ${JSON.stringify(wish.frame)}`,
      opening: opening && through(plan.place, opening),
      original: extent,
      factor,
      thumbnail: bare ? `/api/v1/originals/${original.id}/thumbnail` : `${bicubic}/${far}/0/0`,
      under: { base: bicubic, size: plan.sheet, original: extent },
      panes: views.map((v) => v.candidate),
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the candidates are compared by what they say
  }, [described, original.id, extent, factor, hash, plan.plain.bicubic, plan.sheet, plan.place, wish.frame, opening]);

  // Figures: at the pointer once it rests, of the whole view while the map is shown.
  const rested = useLater(pointer, 160);
  const restedView = useLater(seen.view, 400);
  const shown = views.slice(0, PANES[layout]);
  const ways = shown.map((v) => JSON.stringify(v.measured));
  const distinct = [...new Set(ways)];
  const measured = shown.map((v) => v.measured).filter((_, i) => ways.indexOf(ways[i] ?? "") === i);
  const px = (value: number) => Math.round(value * factor);
  const clampPart = (x: number, y: number, width: number, height: number) => {
    const left = Math.min(Math.max(0, x), plan.sheet.width - 1);
    const top = Math.min(Math.max(0, y), plan.sheet.height - 1);
    return { x: left, y: top, width: Math.max(1, x + width - left), height: Math.max(1, y + height - top) };
  };
  const inside =
    rested &&
    rested.x >= 0 &&
    rested.y >= 0 &&
    rested.x < extent.width &&
    rested.y < extent.height &&
    !seen.fromOriginal;
  const atPointer = inside
    ? clampPart(px(rested.x) - POINTER_PART / 2, px(rested.y) - POINTER_PART / 2, POINTER_PART, POINTER_PART)
    : undefined;
  const figures = useMeasures(hash, measured, atPointer);
  const viewPart =
    map && restedView && !seen.fromOriginal
      ? clampPart(
          px(restedView.left),
          px(restedView.top),
          px(restedView.right - restedView.left),
          px(restedView.bottom - restedView.top),
        )
      : undefined;
  const departures = useMeasures(hash, measured, viewPart);
  const short = (name: string) => name.split(/[:,]/)[0] ?? name;
  const readout =
    atPointer && figures.data
      ? `Sharpness at the pointer, bicubic 1: ${shown
          .flatMap((v, i) => {
            const way = ways[i] ?? "";
            const bicubic = "treatment" in v.measured && v.measured.treatment === plan.plain.bicubic;
            const figure = figures.data[distinct.indexOf(way)];
            return figure && !bicubic && ways.indexOf(way) === i
              ? [`${short(v.name)} ${figure.sharpness.toFixed(2)}`]
              : [];
          })
          .join(", ")}`
      : undefined;

  const labels: PaneLabel[] = views.map((view, pane) => {
    const figure = viewPart ? departures.data?.[distinct.indexOf(JSON.stringify(view.measured))] : undefined;
    const detail =
      panes[pane]?.show === "now" && nowQuery
        ? props.edgeMask
          ? "White is made crisper, black is left alone"
          : "Amber is the area"
        : figure
          ? `95 % of the view within ${decimal(figure.departure_p95, 1)} ΔE of the original`
          : undefined;
    return { name: view.name, detail, onChoose: (anchor) => setChoosing({ pane, anchor }) };
  });

  const goTo = (index: number) => {
    const spot = spots.spots[index];
    if (spot) handle.current?.goTo(through(plan.place, spot));
  };
  const pin = (at: Point) =>
    void spots
      .set(pinned(spots.spots, through(inverse(plan.place), at), original.facts.size))
      .catch((error: unknown) => onSay(sentence(error)));
  const step = (by: 1 | -1) => {
    const all = letters(control.wish);
    const next = all[(all.indexOf(control.wish.letter ?? "A") + by + all.length) % all.length];
    if (next) change(switched(control.wish, next));
  };

  const area = props.areasOpen && scope !== "whole" ? control.wish.areas?.[scope] : undefined;
  const onDrawn = useCallback(
    (mask: Mask) => scope !== "whole" && change(changeArea(control.wish, scope, { mask })),
    [change, control.wish, scope],
  );
  const areaTool = useAreaTool(drawing ? area : undefined, brush, plan.place, original.facts.size, onDrawn);
  const { drawingFace, onFaceDrawn, facesShown, goingTo } = props;
  const faceTool = useMemo(() => {
    if (!drawingFace) return undefined;
    const back = inverse(plan.place);
    return new Line((from, to) => onFaceDrawn(drawnFace(through(back, from), through(back, to))));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- a line that is being drawn outlives a new plan
  }, [drawingFace]);
  const { wish: latestWish } = control;
  const marks = useMemo(() => {
    const pinnedMarks = spots.spots.map((spot, i) => ({ ...through(plan.place, spot), label: String(i + 1) }));
    if (!facesShown) return spotsAnchor ? pinnedMarks : NO_MARKS;
    const faceMarks = ownFaces(latestWish, plan).map((own, i) => {
      const { reach, ...at } = around(own);
      return { ...through(plan.place, at), reach, label: `face ${i + 1}` };
    });
    return spotsAnchor ? [...pinnedMarks, ...faceMarks] : faceMarks;
  }, [spots.spots, plan, spotsAnchor, facesShown, latestWish]);
  useEffect(() => {
    if (goingTo) handle.current?.goTo(through(plan.place, around(goingTo)));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- it is gone to once, wherever the picture lies later
  }, [goingTo]);
  const choose = (pane: Pane) => {
    if (!choosing) return;
    setChosen(panes.map((old, i) => (i === choosing.pane ? pane : old)).slice(0, 6));
    setChoosing(undefined);
  };

  return (
    <Box sx={{ position: "relative", flex: 1, minHeight: 0, display: "flex", flexDirection: "column" }}>
      <StageView
        subject={subject}
        labels={labels}
        ppi={plan.resolved.print?.ppi}
        distance={plan.verdict?.distance_m}
        layout={layout}
        onLayout={setLayout}
        spots={spots.spots}
        marks={marks}
        onSpot={goTo}
        onPin={pin}
        spotsMenu={setSpotsAnchor}
        map={map}
        onMap={setMap}
        onRehearse={props.onRehearse}
        tool={faceTool ?? areaTool}
        readout={readout}
        onPointing={setPointer}
        onSeen={setSeen}
        onStep={step}
        handle={takeHandle}
        covered={props.areasOpen}
      />
      {props.areasOpen && (
        <AreasPanel
          wish={control.wish}
          size={original.facts.size}
          scope={scope}
          onScope={props.onScope}
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
            props.onAreas(false);
          }}
        />
      )}
      <SpotsMenu
        anchor={spotsAnchor}
        control={spots}
        onClose={() => setSpotsAnchor(null)}
        onGo={goTo}
        onPin={() => handle.current && pin(handle.current.middle())}
        onTrouble={(error) => onSay(sentence(error))}
      />
      <Menu open={choosing !== undefined} anchorEl={choosing?.anchor} onClose={() => setChoosing(undefined)}>
        {rules().kernels.map(({ kernel }) => (
          <MenuItem key={kernel} onClick={() => choose({ show: "plain", kernel })}>
            {plainName(kernel)}
          </MenuItem>
        ))}
        <MenuItem onClick={() => choose({ show: "now" })}>The treatment on the rail</MenuItem>
        {letters(wish).length > 1 &&
          letters(wish).map((letter) => (
            <MenuItem
              key={letter}
              onClick={() => choose(letter === wish.letter ? { show: "now" } : { show: "letter", letter })}
            >
              Treatment {letter}
            </MenuItem>
          ))}
        {results.map((result) => (
          <MenuItem
            key={result.id}
            disabled={!linesUp(result, plan, wish)}
            onClick={() => choose({ show: "result", id: result.id })}
          >
            Finished: {result.file_name}
            {linesUp(result, plan, wish) ? "" : " (another crop)"}
          </MenuItem>
        ))}
      </Menu>
    </Box>
  );
}

const NO_MARKS: never[] = [];
