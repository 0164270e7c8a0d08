/** The open picture: what is asked of the server about it, and the parts of the bench that show it. */

import { Box, Snackbar } from "@mui/material";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Suspense, lazy, useCallback, useEffect, useRef } from "react";
import type { Letter, Model, OrderContents, Original, Recipe, Steps } from "../api/client";
import { suggestionQuery, useForecast, usePlan, useReading } from "../api/queries";
import { rules } from "../api/rules";
import { useOnDesk } from "../app/desk";
import { useKept } from "../app/kept";
import { useLast, useLater, usePaced } from "../app/later";
import { STAGE_GROUND } from "../app/theme";
import { Strip } from "../strip/Strip";
import { LightTable } from "./LightTable";
import { Rail } from "./Rail";
import { TicketLine } from "./TicketLine";
import { TreatmentTabs } from "./TreatmentTabs";
import { TONES, TonesPanel } from "./Tones";
import { TRACE, TracePanel } from "./Trace";
import { Blending } from "./blend";
import { LooseCard } from "./cards/Card";
import { ownFaces, usualStrength } from "./faces";
import { useRun } from "./running";
import { useBench, useBenchStore, useIntent } from "./state";
import { type Scope, added, changeIn, letters, stepsIn, switched } from "./treatments";

// Its charts are for those who open it.
const Rehearsal = lazy(() => import("../rehearsal/Rehearsal").then((module) => ({ default: module.Rehearsal })));

/** While a hand drags or types, the server is asked a few times a second. */
const ASKED_EVERY_MS = 120;
/** The file's size is measured once the view has what it needs. */
const FORECAST_AFTER_MS = 900;

export interface BenchProps {
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

export function Workbench(props: BenchProps) {
  const { original, contents, models, active } = props;
  const store = useBenchStore();
  const control = useIntent(store);
  const { change, follow } = control;
  const intent = usePaced(control.intent, ASKED_EVERY_MS);
  const [pattern, setPattern] = useKept("pattern", rules().naming.default_pattern);
  const { scope, card, full, areasOpen, rehearsing, facesShown, said, viewPart, marking } = useBench((state) => state);

  const reading = useReading(original.id);
  const { target, frame, surround, distance_m } = intent;
  const suggestion = useQuery({
    ...suggestionQuery(original.id, { target, frame, surround, distance_m }),
    placeholderData: keepPreviousData,
  });
  const latest = useRef<Recipe>(undefined);
  useEffect(() => {
    if (!suggestion.data || suggestion.isPlaceholderData) return;
    if (latest.current) follow(latest.current, suggestion.data.recipe);
    latest.current = suggestion.data.recipe;
  }, [suggestion.data, suggestion.isPlaceholderData, follow]);
  const plan = usePlan(original.id, intent);
  const answer = plan.error ? undefined : plan.data;
  const inWords = useLast(answer?.in_words, original.id);
  const fine = answer !== undefined && !plan.isPlaceholderData && answer.problem == null;
  const rested = useLater(intent, FORECAST_AFTER_MS);
  const forecast = useForecast(original.id, rested, fine && rested === intent);
  const blocked = plan.isError || answer === undefined || answer.problem != null;
  const run = useRun(original, store, pattern);

  const safeScope: Scope = scope !== "whole" && intent.areas?.[scope] ? scope : "whole";
  const changeSteps = useCallback(
    (part: Partial<Steps>) => change(changeIn(store.getState().intent, safeScope, part)),
    [change, store, safeScope],
  );
  // With the card the hand lays its brush down.
  const openCard = useCallback(
    (name: string | undefined) => store.setState({ card: name, marking: undefined }),
    [store],
  );
  const setBlend = useCallback<React.ContextType<typeof Blending>>((blend) => store.setState({ blend }), [store]);
  const toggleAreas = () => {
    props.onBench();
    store.setState({ areasOpen: !areasOpen });
  };
  const stepTreatment = (by: 1 | -1) => {
    const all = letters(control.intent);
    const next = all[(all.indexOf(control.intent.letter ?? "A") + by + all.length) % all.length];
    if (next) change(switched(control.intent, next));
  };
  const more = added(control.intent);
  useOnDesk(
    "bench",
    active
      ? {
          undo: control.undo,
          redo: control.redo,
          run: blocked ? undefined : run.mutate,
          openCard,
          closeCard: card === undefined ? undefined : () => openCard(undefined),
          addTreatment: more && (() => change(more)),
          stepTreatment,
          rehearse: () => store.setState({ rehearsing: true }),
          toggleAreas,
        }
      : undefined,
  );

  const jobs = contents.jobs.filter((j) => j.original_id === original.id);
  const results = contents.enlargements.filter((e) => e.original_id === original.id);
  const nameOf = useCallback(
    (letter: Letter) =>
      (letter === (intent.letter ?? "A")
        ? inWords?.name
        : answer?.alternatives.find((a) => a.letter === letter)?.name) ?? letter,
    [intent.letter, inWords, answer],
  );
  return (
    <Box component="main" sx={{ flex: 1, minWidth: 0, minHeight: 0, display: "flex", flexDirection: "column" }}>
      {!full && (
        <TicketLine
          original={original}
          control={control}
          plan={answer}
          error={plan.error}
          fileBytes={forecast.data?.bytes}
        />
      )}
      {!answer ? (
        <Box sx={{ flex: 1, bgcolor: STAGE_GROUND }} />
      ) : props.strip ? (
        <Strip
          original={original}
          intent={intent}
          plan={answer}
          control={control}
          onSay={store.say}
          onBench={props.onBench}
        />
      ) : (
        <LightTable
          original={original}
          source={{ hash: original.hash, intent, plan: answer, nameOf, results }}
          settled={control.intent === intent && !plan.isPlaceholderData}
          scope={safeScope}
          active={active}
          onFaceDrawn={(face) => {
            store.setState({ drawingFace: false });
            if (!face) return store.say("Draw from the middle of one eye to the middle of the other.");
            store.setState({ facesShown: true });
            change({
              own_faces: [...ownFaces(control.intent, answer), face],
              faces: control.intent.faces ?? suggestion.data?.recipe.faces ?? { strength: usualStrength(models) },
            });
          }}
        />
      )}
      {rehearsing && (
        <Suspense>
          <Rehearsal
            original={original}
            intent={control.intent}
            onClose={() => store.setState({ rehearsing: false })}
            onTake={(enlarge, name) => {
              changeSteps({ enlarge });
              store.setState({ rehearsing: false });
              store.say(`${name} is on the rail now.`);
            }}
          />
        </Suspense>
      )}
      {!full && (
        <Blending value={setBlend}>
          <Rail
            original={original}
            models={models}
            control={control}
            steps={stepsIn(control.intent, safeScope)}
            inWords={inWords}
            words={safeScope === "whole" ? inWords : inWords?.areas[safeScope]}
            changeSteps={changeSteps}
            loose={
              answer && (
                <>
                  <LooseCard name={TONES}>
                    <TonesPanel
                      hash={original.hash}
                      treatment={answer.treatment}
                      part={viewPart}
                      profile={intent.output.profile}
                    />
                  </LooseCard>
                  <LooseCard name={TRACE}>
                    <TracePanel original={original} asked={answer.treatment} />
                  </LooseCard>
                </>
              )
            }
            card={card}
            onCard={openCard}
            tabs={
              <TreatmentTabs
                original={original}
                intent={control.intent}
                scope={safeScope}
                change={(part) => {
                  if (part.letter) store.setState({ scope: "whole" });
                  change(part);
                }}
                changeSteps={changeSteps}
                onAreas={toggleAreas}
                onSay={store.say}
              />
            }
            reading={reading.data}
            suggestion={suggestion.data}
            onMask={(edgeMask) => store.setState({ edgeMask })}
            hand={{
              marking,
              onMarking: (next) => {
                if (next) props.onBench();
                store.setState({ marking: next });
              },
              onShown: (shown) => store.setState({ wearShown: shown }),
            }}
            facesShown={facesShown}
            onFacesShown={(shown) => store.setState({ facesShown: shown })}
            onDrawFace={() => {
              props.onBench();
              store.setState({ drawingFace: true });
              store.say("Draw a line from the middle of one eye to the middle of the other.");
            }}
            onFace={(face) => {
              props.onBench();
              store.setState({ goingTo: { ...face } });
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
      )}
      <Snackbar open={said !== undefined} onClose={() => store.say(undefined)} autoHideDuration={8000} message={said} />
    </Box>
  );
}
