import "@fontsource-variable/atkinson-hyperlegible-mono";
import "@fontsource-variable/atkinson-hyperlegible-next";
import { defaultBaseConfig } from "@chakra-ui/react/preset-base";
import { createSystem, defineConfig } from "@chakra-ui/react/styled-system";

import { dialogRecipe, menuRecipe } from "./recipes";
import { palette, size } from "./tokens";

const colors = Object.fromEntries(
  Object.entries(palette).map(([name, { paper, night }]) => [
    name,
    { value: { _light: paper, _dark: night } },
  ]),
);

// The library's own tokens and looks are left out: to work them all out would take longer than anything else at the start.
const config = defineConfig({
  preflight: true,
  cssVarsPrefix: "chakra",
  cssVarsRoot: ":where(html)",
  globalCss: {
    "*": { fontFeatureSettings: '"cv11"' },
    html: {
      color: "ink",
      bg: "sheet",
      "--global-font-mono": "fonts.mono",
      "--global-font-body": "fonts.body",
      "--global-color-border": "colors.rule",
    },
    "html, body, #root": { height: "100%", overflow: "hidden" },
    "*::placeholder": { color: "quiet/80" },
    "*::selection": { bg: "wash" },
    // Dragging values must never become dragging selected text.
    body: {
      userSelect: "none",
      bg: "sheet",
      color: "ink",
      fontFamily: "body",
      fontSize: "body",
      lineHeight: "1.25",
    },
    "input, [role=alert], dd": { userSelect: "text" },
    "*, *::before, *::after": {
      _motionReduce: { animationDuration: "0s !important", transitionDuration: "0s !important" },
    },
    "*:focus-visible": { outline: "2px solid", outlineColor: "focus", outlineOffset: "1px" },
  },
  theme: {
    tokens: {
      fonts: {
        body: { value: "'Atkinson Hyperlegible Next Variable', sans-serif" },
        mono: { value: "'Atkinson Hyperlegible Mono Variable', monospace" },
      },
      fontSizes: { body: { value: "13px" }, small: { value: "11px" }, title: { value: "17px" } },
      sizes: {
        topLine: { value: `${size.topLinePx}px` },
        songLine: { value: `${size.songLinePx}px` },
        stations: { value: `${size.stationsPx}px` },
        sheet: { value: `clamp(${size.sheetPx}px, 26vw, ${size.widestSheetPx}px)` },
        foldedSheet: { value: `${size.foldedSheetPx}px` },
        row: { value: `${size.rowPx}px` },
        target: { value: "24px" },
      },
      radii: { small: { value: "3px" } },
      zIndex: { overlay: { value: 1300 }, panel: { value: 1500 }, toast: { value: 1700 } },
    },
    semanticTokens: {
      colors,
    },
    slotRecipes: { dialog: dialogRecipe, menu: menuRecipe },
    textStyles: {
      number: { value: { fontFamily: "mono", fontVariantNumeric: "tabular-nums", fontSize: "body" } },
      small: { value: { fontSize: "small", color: "quiet" } },
    },
  },
});

export const system = createSystem(defaultBaseConfig, config);
