/** How pictures are treated: each as it was left, as it suggests, or all by a house treatment. */

import { MenuItem, TextField } from "@mui/material";
import type { Treating } from "../api/client";
import { useHouseTreatments } from "../api/queries";

export function TreatingField(props: { value: Treating; asSet: string; onChange: (treating: Treating) => void }) {
  const house = useHouseTreatments();
  const { value } = props;
  return (
    <TextField
      select
      label="Treatment"
      value={value.how === "house" ? String(value.id) : value.how}
      onChange={(e) => {
        const how = e.target.value;
        props.onChange(how === "as_set" || how === "suggested" ? { how } : { how: "house", id: Number(how) });
      }}
    >
      <MenuItem value="as_set">{props.asSet}</MenuItem>
      <MenuItem value="suggested">as each picture suggests</MenuItem>
      {house.data?.map((h) => (
        <MenuItem key={h.id} value={String(h.id)}>
          house treatment: {h.name}
        </MenuItem>
      ))}
    </TextField>
  );
}
