/** A step on the process rail: its name and state in a line; its controls open in the band above the rail, beside the picture and not over it. */

import CloseIcon from "@mui/icons-material/Close";
import { Box, ButtonBase, IconButton, Typography } from "@mui/material";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { createPortal } from "react-dom";
import { SHORT_WINDOW, SMALL_ICON } from "../../look/tokens";
import { useBand } from "./band";

/** Characters of a state that are always shown in full, as far as the rail has room for them. */
const SHORT = 16;

export function Card(props: {
  name: string;
  state: ReactNode;
  /** The controls; those that lead elsewhere close the card. */
  children: ReactNode | ((close: () => void) => ReactNode);
}) {
  const { name, state, children } = props;
  const [button, setButton] = useState<HTMLButtonElement | null>(null);
  const band = useBand();
  const [alone, setAlone] = useState<string>();
  const open = (band ? band.open : alone) === name;
  const show = band?.show ?? setAlone;
  const close = () => {
    show(undefined);
    button?.focus();
  };
  const wordy = typeof state === "string" ? Math.max(0, state.length - SHORT) : 1;
  const panel = open && (
    <Panel name={name} onClose={close}>
      {typeof children === "function" ? children(close) : children}
    </Panel>
  );
  return (
    <>
      <ButtonBase
        ref={setButton}
        aria-haspopup="dialog"
        aria-expanded={open}
        onClick={() => (open ? close() : show(name))}
        sx={{
          // As wide as what it says; where there is no room for all, the wordiest give way.
          flex: { xs: `1 ${Math.max(1, wordy)} auto`, lg: `1 ${wordy} auto` },
          minWidth: { xs: 68, lg: 84 },
          px: { xs: 1, lg: 1.25 },
          py: 1,
          display: "block",
          textAlign: "left",
          borderRight: 1,
          borderColor: "divider",
          boxShadow: (t) => (open ? `inset 0 2px 0 ${t.palette.primary.main}` : "none"),
          "&:hover": { bgcolor: "action.hover" },
        }}
      >
        <Typography variant="caption" sx={{ color: "text.secondary", display: "block", lineHeight: 1.3 }}>
          {name}
        </Typography>
        <Typography variant="subtitle2" component="span" noWrap sx={{ display: "block" }}>
          {state}
        </Typography>
      </ButtonBase>
      {panel && band?.slot ? createPortal(panel, band.slot) : panel}
    </>
  );
}

/** Controls in the band that no step on the rail stands for. */
export function LooseCard({ name, children }: { name: string; children: ReactNode }) {
  const band = useBand();
  if (!band || band.open !== name || !band.slot) return null;
  return createPortal(
    <Panel name={name} onClose={() => band.show(undefined)}>
      {children}
    </Panel>,
    band.slot,
  );
}

function Panel({ name, onClose, children }: { name: string; onClose: () => void; children: ReactNode }) {
  const panel = useRef<HTMLDivElement>(null);
  useEffect(() => panel.current?.focus({ preventScroll: true }), []);
  return (
    <Box
      ref={panel}
      role="dialog"
      aria-label={name}
      tabIndex={-1}
      onKeyDown={(e) => {
        if (e.key !== "Escape") return;
        e.stopPropagation();
        onClose();
      }}
      sx={{
        position: "relative",
        display: "flex",
        gap: 3,
        pl: 2,
        pr: 5,
        pt: 1.25,
        pb: 2,
        maxHeight: "46vh",
        [SHORT_WINDOW]: { maxHeight: "32vh" },
        overflowY: "auto",
        bgcolor: "background.paper",
        borderTop: 1,
        borderColor: "divider",
        outline: "none",
        flexWrap: { xs: "wrap", md: "nowrap" },
      }}
    >
      {children}
      <IconButton
        className="steps-back"
        size="small"
        aria-label={`Close ${name}`}
        onClick={onClose}
        sx={{ position: "absolute", top: 4, right: 4 }}
      >
        <CloseIcon sx={SMALL_ICON} />
      </IconButton>
    </Box>
  );
}
