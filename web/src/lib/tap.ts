const PAUSE_MS = 2500;
const MOST_TAPS = 12;

/** Taps with one more; who pauses begins anew. */
export function tapped(timesMs: number[], nowMs: number): number[] {
  const last = timesMs.at(-1);
  return last === undefined || nowMs - last > PAUSE_MS ? [nowMs] : [...timesMs, nowMs].slice(-MOST_TAPS);
}

/** The tempo of taps, to a tenth: the line through them is not led astray by one that was late. Null below three taps. */
export function tempoOf(timesMs: number[]): number | null {
  if (timesMs.length < 3) return null;
  const n = timesMs.length;
  const middle = (n - 1) / 2;
  const mean = timesMs.reduce((sum, time) => sum + time, 0) / n;
  const along = timesMs.reduce((sum, time, index) => sum + (index - middle) * (time - mean), 0);
  const across = timesMs.reduce((sum, _, index) => sum + (index - middle) ** 2, 0);
  return Math.round((10 * 60000 * across) / along) / 10;
}
