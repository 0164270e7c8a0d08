/** The open picture: what is asked of the server about it, and the parts of the bench that show it. */

import { Box, Snackbar } from "@mui/material";
import { Suspense, lazy, useCallback } from "react";
import type { Letter, Model, OrderContents, Original, Steps } from "../api/client";
import { rules } from "../api/rules";
import { AfterFirstLook } from "../app/FirstLook";
import { useOnDesk } from "../app/desk";
import { useKept } from "../app/kept";
import { Strip } from "../strip/Strip";
import { BenchRail } from "./BenchRail";
import { LightTable } from "./LightTable";
import { TicketLine } from "./TicketLine";
import { Awaited } from "./Awaited";
import { useAsked } from "./asked";
import { ownFaces, usualStrength } from "./faces";
import { useRun } from "./running";
import { useBench, useBenchStore, useIntent } from "./state";
import { type Scope, added, changeIn, letters, switched } from "./treatments";

// Its charts are for those who open it.
const Rehearsal = lazy(() => import("../rehearsal/Rehearsal").then((module) => ({ default: module.Rehearsal })));

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

/** The rail's and the sentence's heights in a window of usual width, in pixels: kept free until they are there. */
const RAIL_HEIGHT = 57;
const TICKET_HEIGHT = 71;

export function Workbench(props: BenchProps) {
  const { original, contents, models, active } = props;
  const store = useBenchStore();
  const control = useIntent(store);
  const { change } = control;
  const [pattern, setPattern] = useKept("pattern", rules().naming.default_pattern);
  const { scope, card, full, areasOpen, rehearsing, said } = useBench((state) => state);

  const asked = useAsked(original, control);
  const { intent, suggestion, plan, answer, inWords, forecast, blocked } = asked;
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
        <AfterFirstLook height={TICKET_HEIGHT}>
          <TicketLine
            original={original}
            control={control}
            plan={answer}
            error={plan.error}
            fileBytes={forecast.data?.bytes}
          />
        </AfterFirstLook>
      )}
      {!answer ? (
        <Awaited original={original.id} waiting={!plan.error} />
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
          offeredAreas={suggestion.data?.areas}
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
        <AfterFirstLook height={RAIL_HEIGHT}>
          <BenchRail
            {...props}
            control={control}
            asked={asked}
            scope={safeScope}
            changeSteps={changeSteps}
            run={run}
            pattern={pattern}
            onPattern={setPattern}
            onCard={openCard}
            onAreas={toggleAreas}
          />
        </AfterFirstLook>
      )}
      <Snackbar open={said !== undefined} onClose={() => store.say(undefined)} autoHideDuration={8000} message={said} />
    </Box>
  );
}
