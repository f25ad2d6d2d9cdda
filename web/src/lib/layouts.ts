import type { Strip } from "../api/types";

/** The layout of a strip of more than two channels: it has no sides that could be panned or widened. */
export function wideLayout(strip: Strip): string | null {
  return strip.layout === "mono" || strip.layout === "stereo" ? null : (strip.layout ?? null);
}
