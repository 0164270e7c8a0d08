/** Which key does what, and other keys for it: kept in this browser. */

import { Box, Button, MenuItem, Stack, TextField, Typography } from "@mui/material";
import { useState } from "react";
import { COMMANDS, type Command, within } from "../app/commands";
import { chordName, chordOf, commandOf, keysOf, useKeyMap } from "../app/keymap";
import { Panel } from "./Panel";

export function KeysPanel() {
  const { own, give, restore, restoreAll } = useKeyMap();
  const [id, setId] = useState(COMMANDS.find(({ keys }) => keys.length > 0)?.id ?? "");
  const [waiting, setWaiting] = useState(false);
  const command = COMMANDS.find((c) => c.id === id);
  const changed = COMMANDS.filter((c) => own[c.id] !== undefined);
  return (
    <Panel title="Keys" about="Everything that can be done can have a key of its own. They are kept in this browser.">
      <TextField select label="What it does" value={id} onChange={(e) => setId(e.target.value)}>
        {COMMANDS.map((c) => (
          <MenuItem key={c.id} value={c.id}>
            {c.title}
          </MenuItem>
        ))}
      </TextField>
      {command && (
        <Stack direction="row" spacing={1} sx={{ alignItems: "center" }}>
          <Typography variant="subtitle2" data-testid="its-keys" sx={{ flex: 1 }}>
            {keyWords(keysOf(own, command))}
          </Typography>
          <Button
            variant="outlined"
            onClick={() => setWaiting(true)}
            onBlur={() => setWaiting(false)}
            onKeyDown={(e) => {
              if (!waiting) return;
              // The next key is taken, whatever it does elsewhere; Tab goes on.
              if (e.key === "Tab") return setWaiting(false);
              e.preventDefault();
              e.stopPropagation();
              const chord = chordOf(e);
              if (!chord) return;
              give(command.id, chord);
              setWaiting(false);
            }}
          >
            {waiting ? "Press the key" : "Another key"}
          </Button>
          <Button color="inherit" disabled={own[command.id] === undefined} onClick={() => restore(command.id)}>
            As it came
          </Button>
        </Stack>
      )}
      {changed.length > 0 && (
        <Box>
          <Typography variant="caption" sx={{ color: "text.secondary" }}>
            Changed here
          </Typography>
          <Box component="ul" sx={{ m: 0, pl: 2, typography: "body2" }}>
            {changed.map((c) => (
              <li key={c.id}>
                {c.title}: {keyWords(keysOf(own, c))}
                {lostTo(own, c)}
              </li>
            ))}
          </Box>
          <Button color="inherit" onClick={restoreAll}>
            All as they came
          </Button>
        </Box>
      )}
    </Panel>
  );
}

const keyWords = (keys: string[]) => (keys.length === 0 ? "no key" : keys.map(chordName).join(" or "));

/** Which command has taken a key that this one came with. */
function lostTo(own: Record<string, string[]>, command: Command): string {
  const taken = command.keys
    .map((key) => commandOf(own, key, within(command)))
    .find((other) => other && other.id !== command.id);
  return taken ? `, as its own went to "${taken.title}"` : "";
}
