/** The look, in one place: two themes, one accent, hairlines, one typeface with tabular figures. */

import { createTheme } from "@mui/material/styles";
import { BY_FINGER, COLOURS, type ThemeName } from "./tokens";

declare module "@mui/material/styles" {
  interface Palette {
    measured: string;
    hairline: string;
  }
  interface PaletteOptions {
    measured: string;
    hairline: string;
  }
}

export function theme(name: ThemeName) {
  const c = COLOURS[name];
  return createTheme({
    palette: {
      mode: name === "paper" ? "light" : "dark",
      background: { default: c.ground, paper: c.panel },
      text: { primary: c.ink, secondary: c.faint },
      primary: { main: c.action, contrastText: c.onAction },
      error: { main: c.loss },
      info: { main: c.measured },
      success: { main: c.measured },
      warning: { main: c.action },
      divider: c.hairline,
      measured: c.measured,
      hairline: c.hairline,
    },
    shape: { borderRadius: 2 },
    spacing: 8,
    typography: {
      fontFamily: '"Source Sans 3 Variable", "Source Sans 3", sans-serif',
      fontSize: 14,
      fontWeightBold: 600,
      button: { textTransform: "none", fontWeight: 600 },
      h1: { fontSize: "1.25rem", fontWeight: 600 },
      h2: { fontSize: "1rem", fontWeight: 600 },
      // The sentence that says what is made.
      subtitle1: { fontSize: "1.0625rem" },
      // Names, beside what is said of them.
      subtitle2: { fontSize: "0.875rem", fontWeight: 600, lineHeight: 1.43 },
      body2: { fontSize: "0.875rem" },
      caption: { fontSize: "0.8125rem" },
    },
    components: {
      MuiCssBaseline: {
        styleOverrides: {
          body: { fontVariantNumeric: "tabular-nums", overflow: "hidden" },
          "#root": { height: "100vh" },
          ":focus-visible": { outline: `2px solid ${c.action}`, outlineOffset: 2 },
          // While a control is held, everything but it and the picture gives way.
          ".steps-back": { transition: "opacity 120ms" },
          "[data-hand=held] .steps-back:not([data-held])": { opacity: 0.08 },
          "[data-stage-alone] header, [data-stage-alone] [data-beside-stage]": { display: "none" },
          "@media (prefers-reduced-motion: reduce)": {
            "*, *::before, *::after": { animationDuration: "0s !important", transitionDuration: "0s !important" },
          },
          // Where the system sets the colours, what colour alone tells is told by lines.
          "@media (forced-colors: active)": {
            "header a": { borderColor: "Canvas !important" },
            "[aria-current=page], [aria-current=true], [aria-pressed=true], [aria-selected=true], [aria-expanded=true]":
              {
                outline: "2px solid Highlight !important",
                outlineOffset: "-2px !important",
              },
            ":focus-visible": { outline: "3px solid CanvasText !important" },
            ".MuiButton-contained, .MuiDialog-paper, .MuiMenu-paper, .MuiPopover-paper": {
              border: "1px solid CanvasText !important",
            },
            "svg.MuiSvgIcon-root": { color: "CanvasText" },
            ".MuiLinearProgress-root": { border: "1px solid CanvasText" },
            ".MuiLinearProgress-bar, [data-line]::before": { backgroundColor: "Highlight !important" },
            // What is drawn, not written, keeps the colours that it speaks with.
            "[role=img]": { forcedColorAdjust: "none" },
          },
        },
      },
      MuiButtonBase: { defaultProps: { disableRipple: true } },
      MuiButton: {
        defaultProps: { disableElevation: true, size: "small" },
        styleOverrides: { root: { [BY_FINGER]: { minHeight: 36 } } },
      },
      MuiIconButton: {
        defaultProps: { size: "small" },
        styleOverrides: { root: { [BY_FINGER]: { minWidth: 36, minHeight: 36 } } },
      },
      MuiTextField: { defaultProps: { size: "small", variant: "outlined" } },
      MuiSelect: { defaultProps: { size: "small" } },
      MuiToggleButton: {
        defaultProps: { size: "small" },
        styleOverrides: {
          root: {
            textTransform: "none",
            padding: "3px 10px",
            lineHeight: 1.4,
            [BY_FINGER]: { minHeight: 36, minWidth: 36 },
            color: c.faint,
            "&.Mui-selected": { color: c.ink },
          },
        },
      },
      // A name is no heading.
      MuiTypography: { defaultProps: { variantMapping: { subtitle1: "p", subtitle2: "p" } } },
      MuiPaper: {
        defaultProps: { elevation: 0 },
        styleOverrides: { root: { backgroundImage: "none" } },
      },
      MuiPopover: {
        defaultProps: { elevation: 0 },
        styleOverrides: { paper: { border: `1px solid ${c.hairline}`, padding: 16, maxWidth: 420 } },
      },
      MuiSnackbar: {
        // Above the rail and the view's row: what was just done must not cover what is done next.
        defaultProps: { anchorOrigin: { vertical: "bottom", horizontal: "center" } },
        styleOverrides: { root: { bottom: "112px !important" } },
      },
      MuiAlert: {
        styleOverrides: { root: { backgroundColor: c.panel, color: c.ink, border: `1px solid ${c.hairline}` } },
      },
      // What is still to come is drawn quietly.
      MuiLinearProgress: { styleOverrides: { root: { backgroundColor: c.hairline } } },
      MuiTooltip: {
        // What has a text of its own keeps it as its name.
        defaultProps: { enterDelay: 500, disableInteractive: true, describeChild: true },
        styleOverrides: { tooltip: { backgroundColor: c.ink, color: c.ground, fontSize: "0.8125rem", maxWidth: 280 } },
      },
    },
  });
}
