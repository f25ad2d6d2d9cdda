import { palette, type ColorName } from "../theme/tokens";
import type { Theme } from "../theme/useTheme";

export type Colors = Record<ColorName, string>;

/** The tokens as a canvas takes them. */
export function colorsOf(theme: Theme): Colors {
  return Object.fromEntries(Object.entries(palette).map(([name, value]) => [name, value[theme]])) as Colors;
}
