/** What is done to the faces of several pictures at once. */

import { MenuItem, TextField } from "@mui/material";
import type { FacesChoice } from "../api/client";
import { useModels } from "../api/queries";
import { usualStrength } from "../bench/faces";

/** Less than is suggested, what is suggested, and all of it. */
const offered = (usual: number) => [...new Set([Math.min(0.4, usual), usual, 1])];

export function FacesField(props: {
  value: FacesChoice | undefined;
  /** What is said where each keeps its own. */
  own: string;
  onChange: (value: FacesChoice | undefined) => void;
}) {
  const { value } = props;
  const usual = usualStrength(useModels().data ?? []);
  return (
    <TextField
      select
      label="Faces"
      value={value === undefined ? "own" : value.how === "off" ? "off" : String(value.strength)}
      onChange={(e) => {
        const chosen = e.target.value;
        if (chosen === "own") props.onChange(undefined);
        else props.onChange(chosen === "off" ? { how: "off" } : { how: "restored", strength: Number(chosen) });
      }}
    >
      <MenuItem value="own">{props.own}</MenuItem>
      <MenuItem value="off">left to the enlarging model</MenuItem>
      {offered(usual).map((strength) => (
        <MenuItem key={strength} value={String(strength)}>
          restored at {Math.round(strength * 100)} %
        </MenuItem>
      ))}
    </TextField>
  );
}
