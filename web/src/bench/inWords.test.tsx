// @vitest-environment jsdom
/** What the bench shows of an intent is what the server says of it. */

import { expect, it, vi } from "vitest";
import type { InWords, Intent } from "../api/client";
import { aPlan, anIntent, anOriginal, show } from "../testing/render";
import cases from "../testing/intents.json";
import { Rail } from "./Rail";
import { TicketLine } from "./TicketLine";
import { stepsIn } from "./treatments";

const STEPS = ["Frame", "Repair", "Clean", "Enlarge", "Faces", "Finish", "Deliver"] as const;

const idle = () => undefined;

function bench(drawn: Intent, inWords: InWords) {
  const original = anOriginal();
  const intent = anIntent(drawn);
  const control = { intent, change: vi.fn(), follow: idle, undo: undefined, redo: undefined } as never;
  const plan = aPlan({ in_words: inWords });
  return (
    <>
      <TicketLine original={original} control={control} plan={plan} />
      <Rail
        original={original}
        models={[]}
        control={control}
        steps={stepsIn(intent, "whole")}
        inWords={inWords}
        words={inWords}
        tabs={null}
        pattern=""
        onPattern={idle}
        plan={plan}
        blocked={false}
        starting={false}
        onRun={idle}
        onMask={idle}
        hand={{ onMarking: idle, onShown: idle, radius: 0.006, onRadius: idle, size: original.facts.size }}
        facesShown={false}
        onFacesShown={idle}
        onDrawFace={idle}
        onFace={idle}
        changeSteps={idle}
        onCancel={idle}
        results={[]}
        onRemove={idle}
        loose={null}
        onCard={idle}
      />
    </>
  );
}

it("shows two hundred intents as the server says them", () => {
  const { again } = show(<div />);
  expect(cases).toHaveLength(200);
  for (const { intent, in_words } of cases as unknown as { intent: Intent; in_words: InWords }[]) {
    again(bench(intent, in_words));
    // Asked of the document itself: two thousand questions by role take the test's patience.
    const sentence = document.querySelector("section[aria-label=Print]")?.textContent;
    expect(sentence).toContain(`to ${in_words.target}`);
    const cards = [...document.querySelectorAll("section[aria-label=Process] button")].map((card) => card.textContent);
    for (const step of STEPS) expect(cards).toContain(step + in_words[step.toLowerCase() as Lowercase<typeof step>]);
  }
}, 60_000);
