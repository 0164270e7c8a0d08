/** Which treatment the rail is about, by its letter; which part of the picture; and what may be done with the whole of it. */

import AddIcon from "@mui/icons-material/Add";
import MoreHorizIcon from "@mui/icons-material/MoreHoriz";
import {
  Box,
  Button,
  ButtonBase,
  Dialog,
  DialogActions,
  DialogContent,
  DialogTitle,
  Divider,
  IconButton,
  ListSubheader,
  Menu,
  MenuItem,
  TextField,
  Tooltip,
  Typography,
} from "@mui/material";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Letter, type Original, type Steps, type Intent, answered, api, sentence } from "../api/client";
import { keys, useApply, useHouseTreatments } from "../api/queries";
import { useKept } from "../app/kept";
import { BY_FINGER, SMALL_ICON } from "../look/tokens";
import { type Scope, added, letters, removed, stepsIn, switched } from "./treatments";

const STEP_NAMES = { clean: "Clean", enlarge: "Enlarge", faces: "Faces", finish: "Finish" } as const;
type StepName = keyof typeof STEP_NAMES;
const ALL_STEPS = Object.keys(STEP_NAMES) as StepName[];

/** Steps that were copied, wherever from. */
interface Copied {
  steps: Partial<Steps>;
  from: string;
}

/** A treatment of a picture of an order, and how it is changed. */
interface Treating {
  original: Original;
  intent: Intent;
  scope: Scope;
  change: (part: Partial<Intent>) => void;
  changeSteps: (part: Partial<Steps>) => void;
  onSay: (text: string) => void;
}

export function TreatmentTabs(props: Treating & { onAreas: (anchor: HTMLElement) => void }) {
  const { intent, change, scope } = props;
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const [naming, setNaming] = useState(false);
  const now = intent.letter ?? "A";
  const more = added(intent);
  const areas = intent.areas ?? [];
  const scopeName = scope === "whole" ? "Whole picture" : (areas[scope]?.name ?? "Whole picture");
  return (
    <Box sx={{ display: "flex", flexDirection: "column", borderRight: 1, borderColor: "divider", flexShrink: 0 }}>
      <Box role="group" aria-label="Treatments" sx={{ display: "flex", alignItems: "center", height: 28, px: 0.5 }}>
        {letters(intent).map((letter) => (
          <LetterTab
            key={letter}
            letter={letter}
            now={letter === now}
            onClick={() => change(switched(intent, letter))}
          />
        ))}
        <Tooltip title="Another treatment to compare with: a copy of this one under the next letter">
          <span>
            <IconButton aria-label="Another treatment" disabled={!more} onClick={() => more && change(more)}>
              <AddIcon sx={SMALL_ICON} />
            </IconButton>
          </span>
        </Tooltip>
        <Box sx={{ flex: 1 }} />
        <IconButton aria-label="This treatment" aria-haspopup="menu" onClick={(e) => setMenu(e.currentTarget)}>
          <MoreHorizIcon sx={SMALL_ICON} />
        </IconButton>
      </Box>
      <Tooltip title="The part of the picture that the steps to the right are about; areas such as sky and ground can have settings of their own">
        <ButtonBase
          aria-haspopup="dialog"
          aria-label={`Settings are for: ${scopeName}`}
          onClick={(e) => props.onAreas(e.currentTarget)}
          sx={{
            height: 28,
            px: 1,
            minWidth: 132,
            maxWidth: 190,
            justifyContent: "flex-start",
            font: "inherit",
            typography: "subtitle2",
            color: scope === "whole" ? "text.primary" : "primary.main",
          }}
        >
          <Box component="span" sx={{ overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
            {scopeName}
          </Box>
          <Box component="span" aria-hidden sx={{ pl: 0.5, color: "primary.main" }}>
            ▾
          </Box>
        </ButtonBase>
      </Tooltip>
      <TreatmentMenu {...props} anchor={menu} onClose={() => setMenu(null)} onName={() => setNaming(true)} />
      {naming && <NameDialog steps={stepsIn(intent, scope)} onClose={() => setNaming(false)} onSay={props.onSay} />}
    </Box>
  );
}

function LetterTab(props: { letter: Letter; now: boolean; onClick: () => void }) {
  return (
    <ButtonBase
      aria-label={`Treatment ${props.letter}`}
      aria-pressed={props.now}
      onClick={props.onClick}
      sx={{
        width: 24,
        height: 28,
        [BY_FINGER]: { width: 28, height: 36 },
        typography: "subtitle2",
        color: props.now ? "primary.main" : "text.secondary",
        borderBottom: 2,
        borderColor: props.now ? "primary.main" : "transparent",
      }}
    >
      {props.letter}
    </ButtonBase>
  );
}

function TreatmentMenu(props: Treating & { anchor: HTMLElement | null; onClose: () => void; onName: () => void }) {
  const { intent, scope, change, onSay } = props;
  const [copied, setCopied] = useKept<Copied | undefined>("copied-steps", undefined);
  const client = useQueryClient();
  const apply = useApply(props.original);
  const house = useHouse();
  const steps = stepsIn(intent, scope);
  const without = removed(intent);

  const act = (work: () => Promise<string | undefined> | string | undefined) => () => {
    props.onClose();
    void (async () => {
      try {
        const words = await work();
        if (words) onSay(words);
      } catch (error) {
        onSay(sentence(error));
      }
    })();
  };
  /** Steps with this picture's own measurements, put into the present treatment. */
  const take = async (wanted: Partial<Steps>) => {
    const path = { id: props.original.id };
    const full = { ...steps, ...wanted };
    const own = await answered(api.POST("/api/v1/originals/{id}/adapt", { params: { path }, body: full }));
    const names = (Object.keys(wanted) as StepName[]).filter((step) => step in STEP_NAMES);
    props.changeSteps(Object.fromEntries(names.map((step) => [step, own[step]])));
  };
  const copy = (names: StepName[]) =>
    act(() => {
      setCopied({ steps: Object.fromEntries(names.map((step) => [step, steps[step]])), from: props.original.name });
      const what = names === ALL_STEPS ? "All steps" : names.map((step) => STEP_NAMES[step]).join(" and ");
      return `${what} copied: paste on any picture, where noise and softness are those of that picture`;
    });
  const applyTo = (to: "all" | "same subject") =>
    act(async () => {
      const { all } = await apply(steps, to);
      return `${all} ${all === 1 ? "picture has" : "pictures have"} these steps now`;
    });

  return (
    <Menu open={props.anchor !== null} anchorEl={props.anchor} onClose={props.onClose}>
      <MenuItem onClick={copy(ALL_STEPS)}>Copy all steps</MenuItem>
      {ALL_STEPS.map((step) => (
        <MenuItem key={step} onClick={copy([step])}>
          Copy {STEP_NAMES[step]} only
        </MenuItem>
      ))}
      <MenuItem
        disabled={!copied}
        onClick={act(async () => {
          if (!copied) return undefined;
          await take(copied.steps);
          return `Pasted from ${copied.from}, with this picture's own measurements`;
        })}
      >
        Paste {copied ? `from ${copied.from}` : ""}
      </MenuItem>
      <Divider />
      <MenuItem onClick={applyTo("same subject")}>Use for all pictures of this subject in the order</MenuItem>
      <MenuItem onClick={applyTo("all")}>Use for all pictures in the order</MenuItem>
      <Divider />
      <ListSubheader sx={{ lineHeight: 2.2, bgcolor: "transparent" }}>House treatments</ListSubheader>
      {house.map((treatment) => (
        <MenuItem
          key={treatment.id}
          onClick={act(async () => {
            await take(treatment.steps);
            return `${treatment.name}, with this picture's own measurements`;
          })}
        >
          {treatment.name}
          <Button
            size="small"
            sx={{ ml: "auto" }}
            aria-label={`Forget ${treatment.name}`}
            onClick={(e) => {
              e.stopPropagation();
              void answered(
                api.DELETE("/api/v1/house-treatments/{id}", { params: { path: { id: treatment.id } } }),
              ).finally(() => client.invalidateQueries({ queryKey: keys.house }));
            }}
          >
            Forget
          </Button>
        </MenuItem>
      ))}
      <MenuItem
        onClick={() => {
          props.onClose();
          props.onName();
        }}
      >
        Keep these steps under a name…
      </MenuItem>
      <Divider />
      <MenuItem disabled={!without} onClick={act(() => (without && change(without), undefined))}>
        Remove treatment {intent.letter ?? "A"}
      </MenuItem>
    </Menu>
  );
}

const useHouse = () => useHouseTreatments().data ?? [];

function NameDialog(props: { steps: Steps; onClose: () => void; onSay: (text: string) => void }) {
  const [name, setName] = useState("");
  const [trouble, setTrouble] = useState<string>();
  const client = useQueryClient();
  const known = useHouse().some((h) => h.name === name.trim());
  const keep = async () => {
    try {
      await answered(api.POST("/api/v1/house-treatments", { body: { name, steps: props.steps } }));
      await client.invalidateQueries({ queryKey: keys.house });
      props.onSay(`${name.trim()} is kept as a house treatment`);
      props.onClose();
    } catch (error) {
      setTrouble(sentence(error));
    }
  };
  return (
    <Dialog open onClose={props.onClose} aria-labelledby="house-name">
      <DialogTitle id="house-name">Keep these steps under a name</DialogTitle>
      <DialogContent>
        <Typography variant="body2" sx={{ mb: 2, color: "text.secondary" }}>
          Models, strengths and what is off are kept. Noise, compression and softness are measured anew on every picture
          that gets it.
        </Typography>
        <TextField
          autoFocus
          fullWidth
          label="Name"
          value={name}
          error={trouble !== undefined}
          helperText={trouble ?? (known ? "One of this name is replaced" : " ")}
          onChange={(e) => setName(e.target.value)}
          onKeyDown={(e) => e.key === "Enter" && void keep()}
        />
      </DialogContent>
      <DialogActions>
        <Button onClick={props.onClose}>Cancel</Button>
        <Button variant="contained" disabled={name.trim() === ""} onClick={() => void keep()}>
          Keep
        </Button>
      </DialogActions>
    </Dialog>
  );
}
