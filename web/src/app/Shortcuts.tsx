/** The sheet of keys, as they are now. */

import { Box, Button, Dialog, DialogActions, DialogContent, DialogTitle, Typography } from "@mui/material";
import { Fragment } from "react";
import { COMMANDS, type Command } from "./commands";
import { chordName, keysOf, useKeyMap } from "./keymap";

/** What the hand does on the stage without a command. */
const BY_HAND: [string, string][] = [
  ["wheel", "closer and further at the pointer"],
  ["a finger that rests", "original and result side by side there"],
  ["double click", "to 100 % at the pointer, and back to the whole"],
];

/** Commands that differ by a direction or a number alone share a line. */
const LINES: [RegExp, string][] = [
  [/^pan-far-/, "Move the picture further"],
  [/^pan-/, "Move the picture"],
  [/^(its-)?spot-/, "Go to a spot"],
  [/^part-/, "Look at a part"],
];

interface Line {
  keys: string[];
  title: string;
}

function lines(commands: Command[], keys: (command: Command) => string[]): Line[] {
  const made = new Map<string, Line>();
  for (const command of commands) {
    const chords = keys(command).map(chordName);
    if (chords.length === 0) continue;
    const title = LINES.find(([id]) => id.test(command.id))?.[1] ?? command.title;
    const line = made.get(title) ?? { keys: [], title };
    made.set(title, { title, keys: [...line.keys, ...chords] });
  }
  return [...made.values()];
}

const words = (keys: string[]) => (keys.length > 4 ? `${keys[0] ?? ""} to ${keys.at(-1) ?? ""}` : keys.join(", "));

export function Shortcuts(props: { onClose: () => void; onGuide: () => void; onChange: () => void }) {
  const own = useKeyMap((map) => map.own);
  const groups = [...new Set(COMMANDS.map(({ group }) => group))];
  return (
    <Dialog open maxWidth="lg" onClose={props.onClose} aria-labelledby="shortcuts">
      <DialogTitle id="shortcuts">Keys</DialogTitle>
      <DialogContent>
        <Box sx={{ columns: { xs: 1, md: 2 }, columnGap: 5 }}>
          {groups.map((group) => (
            <Box key={group} sx={{ breakInside: "avoid", mb: 2 }}>
              <Typography variant="caption" component="h3" sx={{ color: "text.secondary", m: 0 }}>
                {group}
              </Typography>
              <Box
                component="dl"
                sx={{ m: 0, display: "grid", gridTemplateColumns: "112px 1fr", columnGap: 2, rowGap: 0.25 }}
              >
                {[
                  ...lines(
                    COMMANDS.filter((command) => command.group === group),
                    (command) => keysOf(own, command),
                  ).map(({ keys, title }) => [words(keys), title] as const),
                  ...(group === "The picture in view" ? BY_HAND : []),
                ].map(([keys, title]) => (
                  <Fragment key={title}>
                    <Typography component="dt" variant="subtitle2">
                      {keys}
                    </Typography>
                    <Typography component="dd" variant="body2" sx={{ m: 0 }}>
                      {title}
                    </Typography>
                  </Fragment>
                ))}
              </Box>
            </Box>
          ))}
        </Box>
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={props.onGuide}>
          Guide
        </Button>
        <Button color="inherit" onClick={props.onChange}>
          Change keys
        </Button>
        <Button onClick={props.onClose}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
