/** A slider with its figure, a mark where the suggestion is, and a double click that returns to it. */

import { Box, Slider, Tooltip, Typography } from "@mui/material";
import { useEffect, useState } from "react";
import type { Intent } from "../../api/client";
import { type Knots, useBlend } from "../blend";

export function Dial(props: {
  label: string;
  /** What it is called where it stands alone; its label, if not given. */
  fullName?: string;
  /** What it does to the picture, in a sentence. */
  effect: string;
  value: number;
  min?: number;
  max?: number;
  step?: number;
  /** The figure as people read it. */
  format?: (value: number) => string;
  suggested?: number;
  onChange: (value: number) => void;
  /** While the slider is held. */
  onHold?: (held: boolean) => void;
  /** Of a control that only blends: what is asked for at a value. */
  blend?: (value: number) => Partial<Intent>;
  /** Where the blend bends; only its ends when not given. */
  knots?: Knots;
}) {
  const [near, setNear] = useState(false);
  const [focused, setFocused] = useState(false);
  const [held, setHeld] = useState(false);
  const { min = 0, max = 1, step = 0.05, suggested } = props;
  const format = props.format ?? ((v: number) => v.toFixed(2));
  useBlend(near || focused, props.blend, props.value, props.knots ?? [min, max]);
  const { onHold } = props;
  const hold = (now: boolean) => {
    setHeld(now);
    onHold?.(now);
  };
  // A click that moves nothing ends without a change.
  useEffect(() => {
    if (!held) return;
    document.documentElement.dataset["hand"] = "held";
    const end = () => {
      setHeld(false);
      onHold?.(false);
    };
    window.addEventListener("pointerup", end);
    return () => {
      delete document.documentElement.dataset["hand"];
      window.removeEventListener("pointerup", end);
    };
  }, [held, onHold]);
  const back = () => suggested !== undefined && props.onChange(suggested);
  return (
    <Box
      className="steps-back"
      data-held={held || undefined}
      sx={{ width: "100%" }}
      onPointerEnter={() => setNear(true)}
      onPointerLeave={() => setNear(false)}
    >
      <Box sx={{ display: "flex", justifyContent: "space-between", alignItems: "baseline" }}>
        <Tooltip title={props.effect} placement="top-start">
          <Typography variant="body2" noWrap>
            {props.label}
          </Typography>
        </Tooltip>
        <Typography variant="subtitle2" sx={{ whiteSpace: "nowrap" }}>
          {format(props.value)}
        </Typography>
      </Box>
      <Tooltip
        title={suggested === undefined ? "" : `Suggested: ${format(suggested)}; a double click returns to it`}
        placement="bottom-start"
      >
        <Slider
          size="small"
          value={props.value}
          min={min}
          max={max}
          step={step}
          marks={suggested === undefined ? false : [{ value: suggested }]}
          aria-label={props.fullName ?? props.label}
          getAriaValueText={format}
          // Steps add up to figures like 0.39999: nobody chose those.
          onChange={(_, value) => props.onChange(Number((value as number).toFixed(4)))}
          onPointerDown={() => hold(true)}
          onChangeCommitted={() => hold(false)}
          onDoubleClick={back}
          onFocus={() => setFocused(true)}
          onBlur={() => setFocused(false)}
          sx={{ py: 1, display: "block", "& .MuiSlider-mark": { height: 10, width: 2, bgcolor: "measured" } }}
        />
      </Tooltip>
    </Box>
  );
}
