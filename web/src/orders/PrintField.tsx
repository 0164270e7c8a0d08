/** A print: one of the products, or any size. */

import { MenuItem, Stack, TextField } from "@mui/material";
import { useState } from "react";
import type { Ticket } from "../api/client";
import { useProducts } from "../api/queries";
import { TargetFields } from "../bench/TargetFields";

/** A picture of the usual shape, for changing from one way of saying a size to another. */
const SAMPLE = { width: 3000, height: 2000 };

const START: Ticket = {
  target: { by: "print", paper: { width: 60, height: 40, unit: "cm" }, ppi: 200 },
  surround: { kind: "none" },
};

const same = (a: Ticket | undefined, b: Ticket) => JSON.stringify(a?.target) === JSON.stringify(b.target);

/** `none` is what it means to choose nothing. */
export function PrintField(props: { value?: Ticket; none?: string; onChange: (print: Ticket | undefined) => void }) {
  const products = useProducts();
  const { value } = props;
  const product = products.data?.find((p) => same(value, p.print));
  const [own, setOwn] = useState(false);
  const chosen = value === undefined ? "none" : product && !own ? product.name : "own";
  return (
    <Stack spacing={2}>
      <TextField
        select
        label="Print"
        value={chosen}
        onChange={(e) => {
          setOwn(e.target.value === "own");
          if (e.target.value === "none") props.onChange(undefined);
          else if (e.target.value === "own") props.onChange(value ?? START);
          else props.onChange(products.data?.find((p) => p.name === e.target.value)?.print);
        }}
      >
        {props.none && <MenuItem value="none">{props.none}</MenuItem>}
        {products.data?.map((p) => (
          <MenuItem key={p.id} value={p.name}>
            {p.name}: {p.in_words}
          </MenuItem>
        ))}
        <MenuItem value="own">another size</MenuItem>
      </TextField>
      {chosen === "own" && value && (
        <TargetFields
          target={value.target}
          original={SAMPLE}
          onChange={(target) => props.onChange({ ...value, target })}
        />
      )}
    </Stack>
  );
}
