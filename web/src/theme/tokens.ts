/** Raw colours, by theme: the only place where colours are written. */
export const palette = {
  sheet: { paper: "#f6f1e6", night: "#191722" },
  card: { paper: "#fffaf0", night: "#221f2d" },
  rule: { paper: "#d9cfbb", night: "#3a3548" },
  edge: { paper: "#8f846c", night: "#756d88" },
  ink: { paper: "#2a2433", night: "#efe8da" },
  quiet: { paper: "#6d6370", night: "#a79fb0" },
  focus: { paper: "#3d3a8c", night: "#a9a5ff" },
  wash: { paper: "#e9e4ea", night: "#28243f" },
  send: { paper: "#0b7373", night: "#57c2b8" },
  key: { paper: "#b83d24", night: "#ff8a6b" },
  follow: { paper: "#74489b", night: "#c39bea" },
  under: { paper: "#74889a", night: "#6f8496" },
  underText: { paper: "#566a7b", night: "#8fa3b5" },
  at: { paper: "#2c8562", night: "#57b98f" },
  atText: { paper: "#1f6e4f", night: "#57b98f" },
  hot: { paper: "#b97a08", night: "#e8b04a" },
  hotText: { paper: "#8a5a00", night: "#e8b04a" },
  over: { paper: "#b3261e", night: "#ff6f61" },
  /** Over the page, under what is opened over it. */
  shade: { paper: "#00000080", night: "#00000099" },
} as const;

export type ColorName = keyof typeof palette;

/** Sizes shared by styles and canvases, CSS pixels. */
export const size = {
  topLinePx: 44,
  songLinePx: 72,
  stationsPx: 64,
  sheetPx: 360,
  widestSheetPx: 520,
  foldedSheetPx: 36,
  rowPx: 25,
} as const;

/** Colours a strip may bear, a hue per family; both themes. */
export const stripColors = {
  clay: "#b4654a",
  ochre: "#a87b1f",
  olive: "#8a8a2f",
  leaf: "#4f8f4f",
  teal: "#1a8f8f",
  sky: "#3d7fb8",
  violet: "#8a6bb8",
  rose: "#b85c7a",
  slate: "#6d6370",
} as const;
