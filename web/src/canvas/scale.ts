/** The level scale: its middle is the reference, not the top. */
export const SCALE_LOW_DB = -42;
export const SCALE_HIGH_DB = 6;
export const REFERENCE_DB = -18;
export const SCALE_MARKS_DB = [-42, -30, -18, -6, 0];

/** Place of a level on a scale of the given width, clamped to it. */
export function levelToPx(levelDb: number, widthPx: number): number {
  const share = (levelDb - SCALE_LOW_DB) / (SCALE_HIGH_DB - SCALE_LOW_DB);
  return Math.min(1, Math.max(0, share)) * widthPx;
}

/** Place of a frequency on a logarithmic axis from 20 Hz to 20 kHz. */
export function frequencyToPx(frequencyHz: number, widthPx: number): number {
  return (Math.log10(frequencyHz / 20) / 3) * widthPx;
}

export function pxToFrequency(xPx: number, widthPx: number): number {
  return 20 * 10 ** ((3 * xPx) / widthPx);
}
