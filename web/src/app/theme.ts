/** The look, in one place: two themes, one accent, hairlines, one typeface with tabular figures. */

import { createTheme } from "@mui/material/styles";

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

/** What lies around a picture until its own ground is chosen: neutral, and of no theme. */
export const STAGE_GROUND = "#777";

/** Where a window is too low for everything at once: on a small screen, or magnified. */
export const SHORT_WINDOW = "@media (max-height: 560px)";

/** Red, green and blue as curves are drawn, legible on both grounds. */
export const CHANNELS = ["#C4473A", "#3C8A4E", "#3F6FB5"] as const;

export type ThemeName = "paper" | "dim";

const COLOURS = {
  paper: {
    ground: "#F4F1EA", panel: "#FBF9F5", ink: "#23211E", faint: "#65605A", hairline: "#D9D3C7",
    action: "#9C5200", onAction: "#FFFFFF", measured: "#2B6A6E", loss: "#A3262C",
  },
  dim: {
    ground: "#1D1C1A", panel: "#262422", ink: "#E9E4DA", faint: "#A8A197", hairline: "#3A3733",
    action: "#F0A441", onAction: "#1D1C1A", measured: "#7FC1C2", loss: "#F08A80",
  },
}; // prettier-ignore

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
      button: { textTransform: "none", fontWeight: 600 },
      h1: { fontSize: "1.25rem", fontWeight: 600 },
      h2: { fontSize: "1rem", fontWeight: 600 },
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
        },
      },
      MuiButtonBase: { defaultProps: { disableRipple: true } },
      MuiButton: { defaultProps: { disableElevation: true, size: "small" } },
      MuiIconButton: { defaultProps: { size: "small" } },
      MuiTextField: { defaultProps: { size: "small", variant: "outlined" } },
      MuiSelect: { defaultProps: { size: "small" } },
      MuiToggleButton: {
        defaultProps: { size: "small" },
        styleOverrides: {
          root: {
            textTransform: "none",
            padding: "3px 10px",
            lineHeight: 1.4,
            color: c.faint,
            "&.Mui-selected": { color: c.ink },
          },
        },
      },
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
