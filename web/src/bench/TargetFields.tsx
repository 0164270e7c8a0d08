/** The size of the result, in whichever terms the person thinks. */

import { Box, MenuItem, Stack, TextField } from "@mui/material";
import { useState } from "react";
import type { Plan, Size, Target, Unit } from "../api/client";
import { inMm } from "../api/rules";
import { decimal } from "../app/format";

type Terms = Target["by"];

const TERMS: [Terms, string][] = [
  ["print", "Print size"],
  ["factor", "Factor"],
  ["percent", "Per cent"],
  ["width", "Width in pixels"],
  ["height", "Height in pixels"],
  ["long_edge", "Long edge in pixels"],
  ["short_edge", "Short edge in pixels"],
];

/** The same size in other terms, so that changing the terms changes nothing else. */
export function inTerms(terms: Terms, original: Size, result: Size, now: Target): Target {
  const factor = result.width / original.width;
  switch (terms) {
    case "factor":
      return { by: "factor", factor: Number(factor.toFixed(3)) };
    case "percent":
      return { by: "percent", percent: Number((factor * 100).toFixed(1)) };
    case "width":
      return { by: "width", px: result.width };
    case "height":
      return { by: "height", px: result.height };
    case "long_edge":
      return { by: "long_edge", px: Math.max(result.width, result.height) };
    case "short_edge":
      return { by: "short_edge", px: Math.min(result.width, result.height) };
    case "print": {
      if (now.by === "print") return now;
      const ppi = 240;
      const cm = (px: number) => Number((((px / ppi) * inMm("in")) / inMm("cm")).toFixed(1));
      return { by: "print", paper: { width: cm(result.width), height: cm(result.height), unit: "cm" }, ppi };
    }
  }
}

/** A figure that is taken over as soon as it makes sense, and left alone while it is typed. */
export function Figure(props: {
  label: string;
  value: number;
  unit?: string;
  step?: number;
  whole?: boolean;
  autoFocus?: boolean;
  onChange: (value: number) => void;
}) {
  const [text, setText] = useState<string>();
  const shown = text ?? decimal(props.value, 3);
  const parsed = Number(shown.replace(",", "."));
  const wrong = !Number.isFinite(parsed) || parsed <= 0 || (props.whole === true && !Number.isInteger(parsed));
  return (
    <TextField
      label={props.label}
      value={shown}
      error={wrong}
      helperText={wrong ? (props.whole ? "a whole number above 0" : "a figure above 0") : undefined}
      autoFocus={props.autoFocus}
      fullWidth
      slotProps={{
        htmlInput: { inputMode: "decimal", "aria-label": props.label },
        input: props.unit
          ? {
              endAdornment: (
                <Box component="span" sx={{ color: "text.secondary" }}>
                  {props.unit}
                </Box>
              ),
            }
          : {},
      }}
      onFocus={(e) => e.target.select()}
      onChange={(e) => {
        setText(e.target.value);
        const value = Number(e.target.value.replace(",", "."));
        if (Number.isFinite(value) && value > 0 && (!props.whole || Number.isInteger(value))) props.onChange(value);
      }}
      onBlur={() => setText(undefined)}
    />
  );
}

export function TargetFields(props: {
  target: Target;
  original: Size;
  plan?: Plan;
  onChange: (target: Target) => void;
}) {
  const { target, original, onChange } = props;
  const result = props.plan?.resolved.size ?? original;
  return (
    <Stack spacing={2} sx={{ width: 320 }}>
      <TextField
        select
        label="How large"
        value={target.by}
        onChange={(e) => onChange(inTerms(e.target.value as Terms, original, result, target))}
      >
        {TERMS.map(([terms, label]) => (
          <MenuItem key={terms} value={terms}>
            {label}
          </MenuItem>
        ))}
      </TextField>
      {target.by === "print" && <PrintFields target={target} onChange={onChange} />}
      {target.by === "factor" && (
        <Figure
          label="Factor"
          unit="times"
          value={target.factor}
          autoFocus
          onChange={(factor) => onChange({ by: "factor", factor })}
        />
      )}
      {target.by === "percent" && (
        <Figure
          label="Per cent"
          unit="%"
          value={target.percent}
          autoFocus
          onChange={(percent) => onChange({ by: "percent", percent })}
        />
      )}
      {"px" in target && (
        <Figure
          label="Pixels"
          unit="px"
          whole
          value={target.px}
          autoFocus
          onChange={(px) => onChange({ by: target.by, px })}
        />
      )}
    </Stack>
  );
}

function PrintFields({
  target,
  onChange,
}: {
  target: Extract<Target, { by: "print" }>;
  onChange: (t: Target) => void;
}) {
  const { paper, ppi } = target;
  const convert = (unit: Unit) => {
    const to = (v: number) => Number(((v * inMm(paper.unit)) / inMm(unit)).toFixed(2));
    onChange({ ...target, paper: { width: to(paper.width), height: to(paper.height), unit } });
  };
  return (
    <>
      <Stack direction="row" spacing={1}>
        <Figure
          label="Paper width"
          value={paper.width}
          autoFocus
          onChange={(width) => onChange({ ...target, paper: { ...paper, width } })}
        />
        <Figure
          label="Paper height"
          value={paper.height}
          onChange={(height) => onChange({ ...target, paper: { ...paper, height } })}
        />
        <TextField
          select
          label="Unit"
          value={paper.unit}
          sx={{ minWidth: 84 }}
          onChange={(e) => convert(e.target.value as Unit)}
        >
          <MenuItem value="mm">mm</MenuItem>
          <MenuItem value="cm">cm</MenuItem>
          <MenuItem value="in">in</MenuItem>
        </TextField>
      </Stack>
      <Figure label="Resolution" unit="ppi" value={ppi} onChange={(value) => onChange({ ...target, ppi: value })} />
    </>
  );
}
