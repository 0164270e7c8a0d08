/** Everything that can be done now, found by its name: type, choose, Enter. */

import { Autocomplete, Box, Dialog, TextField, Typography } from "@mui/material";
import { useState } from "react";
import { type Command, available, matching } from "./commands";
import { desk } from "./desk";
import { chordName, keysOf, useKeyMap } from "./keymap";

export function CommandSearch({ onClose }: { onClose: () => void }) {
  const own = useKeyMap((map) => map.own);
  // What could be done when the list was called for.
  const [commands] = useState(() =>
    available(desk.getState()).filter(({ id, release }) => id !== "search" && !release),
  );
  const act = (command: Command) => {
    onClose();
    // Once the dialog has let go of the page and given the focus back.
    setTimeout(() => command.on(desk.getState())?.(), 0);
  };
  return (
    <Dialog
      open
      fullWidth
      maxWidth="sm"
      onClose={onClose}
      aria-label="Find something to do"
      sx={{ "& .MuiDialog-container": { alignItems: "flex-start" } }}
    >
      <Autocomplete
        open
        autoHighlight
        disableClearable
        forcePopupIcon={false}
        options={commands}
        groupBy={({ group }) => group}
        getOptionLabel={({ title }) => title}
        getOptionKey={({ id }) => id}
        filterOptions={(options, { inputValue }) => matching(options, inputValue)}
        noOptionsText="Nothing that can be done now is called that"
        onChange={(_, command) => act(command)}
        slotProps={{ listbox: { sx: { maxHeight: "52vh" } } }}
        renderOption={({ key, ...item }, command) => (
          <Box component="li" key={key} {...item} sx={{ display: "flex", gap: 2 }}>
            <Typography variant="body2" sx={{ flex: 1 }}>
              {command.title}
            </Typography>
            <Typography variant="caption" sx={{ color: "text.secondary", whiteSpace: "nowrap" }}>
              {keysOf(own, command).map(chordName).join(" or ")}
            </Typography>
          </Box>
        )}
        renderInput={(params) => <TextField {...params} autoFocus placeholder="What is to be done?" sx={{ p: 1.5 }} />}
      />
    </Dialog>
  );
}
