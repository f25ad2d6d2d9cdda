import { barS, type Tempo } from "../../lib/music";

/** Seconds of one beat of the metre. */
export function beatS(tempo: Tempo): number {
  return barS(tempo) / Number(tempo.metre.split("/")[0] ?? 4);
}

/** The nearest beat, or the time itself without a grid. */
export function toBeat(timeS: number, tempo: Tempo | undefined, free: boolean): number {
  if (!tempo || free) return Math.max(0, timeS);
  const beat = beatS(tempo);
  return Math.max(0, Math.round(timeS / beat) * beat);
}
