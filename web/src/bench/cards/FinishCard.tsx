/** What is done at the print's own scale: edges, and a trace of grain. */

import { Button, Tooltip } from "@mui/material";
import type { Finish, Plan, Reading, Suggestion } from "../../api/client";
import { decimal, percent } from "../../app/format";
import { Card } from "./Card";
import { Dial } from "./Dial";
import { Part, Reasons } from "./Part";

export function FinishCard(props: {
  finish: Finish;
  /** The step in a few words. */
  words: string;
  plan?: Plan;
  reading?: Reading;
  suggestion?: Suggestion;
  onChange: (finish: Finish) => void;
  /** While Leave flat tone is held, its mask is shown. */
  onMask: (shown: boolean) => void;
  /** How many faces the picture has. */
  faces: number;
}) {
  const { finish, onChange } = props;
  const { edges, grain } = finish;
  const suggested = props.suggestion?.recipe.finish;
  const ppi = props.plan?.resolved.print?.ppi;
  const onPaper = (px: number) =>
    ppi ? `${decimal(px, 1)} px, ${decimal((px / ppi) * 25.4)} mm` : `${decimal(px, 1)} px`;
  const usual = props.suggestion?.usual;
  const measuring = usual ? undefined : "The picture is being measured.";
  const withEdges = (part: Partial<NonNullable<Finish["edges"]>>): Finish => ({
    ...finish,
    edges: edges && { ...edges, ...part },
  });
  const withGrain = (part: Partial<NonNullable<Finish["grain"]>>): Finish => ({
    ...finish,
    grain: grain && { ...grain, ...part },
  });

  return (
    <Card name="Finish" state={props.words}>
      <>
        <Part
          name="Edges"
          on={edges != null}
          columns={3}
          unavailable={measuring}
          onSwitch={(on) => onChange({ ...finish, edges: on ? (usual?.edges ?? null) : null })}
        >
          {edges && (
            <>
              <Dial
                label="Edge strength"
                effect="How much crisper edges become on paper."
                value={edges.strength}
                max={3}
                suggested={suggested?.edges?.strength}
                onChange={(strength) => onChange(withEdges({ strength }))}
                blend={(strength) => ({ finish: withEdges({ strength }) })}
                // From about 1 on, strong edges come up against the halo guard.
                knots={[0, 1, 3]}
              />
              <Dial
                label="Edge width"
                effect="How wide an edge is that is made crisper: fine for prints held in the hand, wider for those seen from afar."
                value={edges.width}
                min={0.3}
                max={6}
                step={0.1}
                format={onPaper}
                suggested={suggested?.edges?.width}
                onChange={(width) => onChange(withEdges({ width }))}
              />
              <Dial
                label="Halo guard"
                effect="Keeps roofs and ridgelines from glowing: at 100 % no pixel leaves the tones around it."
                value={edges.halo_guard}
                format={percent}
                suggested={suggested?.edges?.halo_guard}
                onChange={(halo_guard) => onChange(withEdges({ halo_guard }))}
                blend={(halo_guard) => ({ finish: withEdges({ halo_guard }) })}
              />
              <Dial
                label="Leave flat tone"
                effect="Keeps skin and sky from turning rough. While it is held, what is sharpened shows white."
                value={edges.leave_flat}
                format={percent}
                suggested={suggested?.edges?.leave_flat}
                onChange={(leave_flat) => onChange(withEdges({ leave_flat }))}
                onHold={props.onMask}
              />
              {props.faces > 0 && usual && (
                <Dial
                  label="Leave skin"
                  effect="Keeps the skin of faces as it is: eyes, brows, lashes, mouth and hair are made crisper. While it is held, what is sharpened shows white."
                  value={edges.leave_skin ?? 0}
                  format={percent}
                  suggested={suggested?.edges?.leave_skin}
                  onChange={(leave_skin) => onChange(withEdges({ leave_skin }))}
                  onHold={props.onMask}
                />
              )}
            </>
          )}
        </Part>
        <Part
          name="Print grain"
          on={grain != null}
          unavailable={measuring}
          onSwitch={(on) => onChange({ ...finish, grain: on ? (usual?.grain ?? null) : null })}
        >
          {grain && (
            <>
              <Dial
                label="Strength"
                effect="A share of the original's own grain, as it was measured at each brightness: a trace of it keeps cleaned tone from looking painted."
                value={grain.amount}
                max={1.5}
                format={percent}
                suggested={suggested?.grain?.amount}
                onChange={(amount) => onChange(withGrain({ amount }))}
                blend={(amount) => ({ finish: withGrain({ amount }) })}
              />
              <Dial
                label="Grain size"
                effect="How large a grain is on paper."
                value={grain.size}
                min={1}
                max={8}
                step={0.5}
                format={onPaper}
                suggested={suggested?.grain?.size}
                onChange={(size) => onChange(withGrain({ size }))}
              />
            </>
          )}
        </Part>
        <Reasons texts={props.suggestion?.reasons.filter((r) => r.step === "finish").map((r) => r.text) ?? []}>
          {props.faces > 0 && usual && (
            <Tooltip title="Eyes, brows, lashes, lips and hair crisp, skin left as skin">
              <Button variant="outlined" onClick={() => onChange({ ...finish, edges: usual.portrait })}>
                Portrait finish
              </Button>
            </Tooltip>
          )}
        </Reasons>
      </>
    </Card>
  );
}
