/** The look in figures and colours, in one place: what pictures lie on, what is drawn over them, and the two themes' colours. */

/** What is drawn over pictures, whose colours nobody knows: light lines with dark rims, what is not meant shaded. */
export const OVER_PICTURE = {
  line: "#FFFFFF",
  rim: "rgba(0, 0, 0, 0.7)",
  shade: "rgba(0, 0, 0, 0.55)",
  /** Lines that lie across what is judged. */
  faint: "rgba(255, 255, 255, 0.6)",
  /** What is painted: seen through. */
  paint: "rgba(240, 164, 65, 0.55)",
  unpaint: "rgba(30, 30, 30, 0.5)",
} as const;

/** Lines between panes, on light and on dark ground. */
export const BETWEEN_PANES = { onLight: "rgba(0, 0, 0, 0.5)", onDark: "rgba(255, 255, 255, 0.5)" } as const;

/** A neutral grey, as a share of white. */
export const grey = (share: number) => `hsl(0 0% ${share * 100}%)`;

/** What a pane shows where two views do not differ. */
export const NO_DIFFERENCE = "#000000";

/** What may lie around a picture that is judged: neutral, and of no theme. */
export const GROUNDS = [
  { shade: "#777777", name: "middle grey" },
  { shade: "#2E2E2E", name: "dark grey" },
  { shade: "#BDBDBD", name: "light grey" },
  { shade: "#FFFFFF", name: "white" },
] as const;

/** What lies around a picture until its own ground is chosen. */
export const STAGE_GROUND = GROUNDS[0].shade;

/** Icons that stand in a line of text. */
export const SMALL_ICON = { fontSize: "1.125rem" } as const;

/** Text of scales and labels in plots. */
export const PLOT_TEXT = { fontSize: 12 } as const;

/** Where a window is too low for everything at once: on a small screen, or magnified. */
export const SHORT_WINDOW = "@media (max-height: 560px)";

/** Where a finger points, which needs more room than a mouse. */
export const BY_FINGER = "@media (pointer: coarse)";

/** Red, green and blue as curves are drawn, legible on both grounds. */
export const CHANNELS = ["#C4473A", "#3C8A4E", "#3F6FB5"] as const;

export type ThemeName = "paper" | "dim";

export const COLOURS = {
  paper: {
    ground: "#F4F1EA", panel: "#FBF9F5", ink: "#23211E", faint: "#65605A", hairline: "#D9D3C7",
    action: "#9C5200", onAction: "#FFFFFF", measured: "#2B6A6E", loss: "#A3262C",
  },
  dim: {
    ground: "#1D1C1A", panel: "#262422", ink: "#E9E4DA", faint: "#A8A197", hairline: "#3A3733",
    action: "#F0A441", onAction: "#1D1C1A", measured: "#7FC1C2", loss: "#F08A80",
  },
}; // prettier-ignore
