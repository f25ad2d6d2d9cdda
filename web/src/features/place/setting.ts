import type { Pan, Strip } from "../../api/types";

const clamp = (value: number) => Math.max(-1, Math.min(1, value));
const rounded = (value: number) => Math.round(1000 * clamp(value)) / 1000;

/** A pan moved by so much; two hands go together, and stay as far apart as there is room for. */
export function panAt(pan: Pan, by: number): Pan {
  if (pan.mode !== "two-handed") return { ...pan, position: rounded(pan.position + by) };
  const held = Math.max(-1 - Math.min(pan.left, pan.right), Math.min(1 - Math.max(pan.left, pan.right), by));
  return { ...pan, left: rounded(pan.left + held), right: rounded(pan.right + held) };
}

/** What of a pan says where it is: its mode is left as whoever set it last wants it. */
export function placeOf(pan: Pan): Partial<Pan> {
  const { mode, position, left, right, azimuth_deg, elevation_deg, spread_deg } = pan;
  if (mode === "around") return { azimuth_deg, elevation_deg, spread_deg };
  return mode === "two-handed" ? { left, right } : { position };
}

/** From where to where a strip is set to stand; one channel, or as many as are not known yet, stand at one point. */
export function arcAsSet(
  { pan, width }: Pick<Strip, "pan" | "width">,
  nChannels: number,
): { position: number; reach: number } {
  if (nChannels < 2)
    return { position: pan.mode === "two-handed" ? (pan.left + pan.right) / 2 : pan.position, reach: 0 };
  if (pan.mode === "two-handed")
    return {
      position: (pan.left + pan.right) / 2,
      reach: (Math.abs(pan.right - pan.left) / 2) * Math.min(1, width),
    };
  return { position: pan.position, reach: Math.min(1, width) * (1 - Math.abs(pan.position)) };
}
