/** The rail of the open picture: its steps, and what is done with them. */

import { useCallback } from "react";
import type { Model, OrderContents, Original, Steps } from "../api/client";
import { Rail } from "./Rail";
import { TONES, TonesPanel } from "./Tones";
import { TreatmentTabs } from "./TreatmentTabs";
import type { useAsked } from "./asked";
import { Blending } from "./blend";
import { LooseCard } from "./cards/Card";
import type { useRun } from "./running";
import { type IntentControl, useBench, useBenchStore } from "./state";
import { type Scope, stepsIn } from "./treatments";

export function BenchRail(props: {
  original: Original;
  contents: OrderContents;
  models: Model[];
  control: IntentControl;
  asked: ReturnType<typeof useAsked>;
  scope: Scope;
  changeSteps: (part: Partial<Steps>) => void;
  run: ReturnType<typeof useRun>;
  pattern: string;
  onPattern: (pattern: string) => void;
  onCard: (name: string | undefined) => void;
  onAreas: () => void;
  onBench: () => void;
  onCancel: (job: number) => void;
  onRemove: () => void;
}) {
  const { original, contents, models, control, scope, changeSteps, run, pattern } = props;
  const { intent, reading, suggestion, answer, inWords, forecast, blocked } = props.asked;
  const store = useBenchStore();
  const { card, facesShown, viewPart, marking, markRadius } = useBench((state) => state);
  const setBlend = useCallback<React.ContextType<typeof Blending>>((blend) => store.setState({ blend }), [store]);
  const jobs = contents.jobs.filter((j) => j.original_id === original.id);
  const results = contents.enlargements.filter((e) => e.original_id === original.id);
  return (
    <Blending value={setBlend}>
      <Rail
        original={original}
        models={models}
        control={control}
        steps={stepsIn(control.intent, scope)}
        inWords={inWords}
        words={scope === "whole" ? inWords : inWords?.areas[scope]}
        changeSteps={changeSteps}
        asked={scope === "whole" ? answer?.treatment : undefined}
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
            </>
          )
        }
        card={card}
        onCard={props.onCard}
        tabs={
          <TreatmentTabs
            original={original}
            intent={control.intent}
            scope={scope}
            change={(part) => {
              if (part.letter) store.setState({ scope: "whole" });
              control.change(part);
            }}
            changeSteps={changeSteps}
            onAreas={props.onAreas}
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
          radius: markRadius,
          onRadius: (radius) => store.setState({ markRadius: radius }),
          size: original.facts.size,
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
        onPattern={props.onPattern}
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
  );
}
