import type { Tempo } from "./music";
import { barS } from "./music";

type Stretch = { atS: number; bars: number; barS: number; beats: number };

/** Bars and beats of a song through every change of its tempo, as the server counts them. */
export type BeatGrid = readonly Stretch[];

export type Snap = "bar" | "beat" | "free";

const CLOSE_BARS = 1e-6;

/** The first tempo says where the first bar begins. A new tempo goes on inside its bar, a new metre begins a new one. */
export function gridOf(tempo: readonly (Tempo & { at_s: number })[]): BeatGrid {
  const grid: Stretch[] = [];
  tempo.forEach((change, index) => {
    const known = grid.at(-1);
    const before = tempo[index - 1];
    let bars = known ? known.bars + (change.at_s - known.atS) / known.barS : 0;
    if (before && before.metre !== change.metre) bars = Math.ceil(bars - CLOSE_BARS);
    grid.push({ atS: change.at_s, bars, barS: barS(change), beats: Number(change.metre.split("/")[0]) });
  });
  return grid;
}

function stretchAt(grid: BeatGrid, timeS: number): Stretch {
  const place = grid.findLastIndex((stretch) => stretch.atS <= timeS);
  return grid[Math.max(0, place)] ?? { atS: 0, bars: 0, barS: 2, beats: 4 };
}

/** Bars since the first one's beginning; negative before it. */
export function barsAt(grid: BeatGrid, timeS: number): number {
  const stretch = stretchAt(grid, timeS);
  return stretch.bars + (timeS - stretch.atS) / stretch.barS;
}

/** When so many bars have passed. */
export function timeOfBars(grid: BeatGrid, bars: number): number {
  const place = Math.max(
    0,
    grid.findLastIndex((stretch) => stretch.bars <= bars),
  );
  const stretch = grid[place];
  if (!stretch) return 0;
  const atS = stretch.atS + (bars - stretch.bars) * stretch.barS;
  return Math.min(atS, grid[place + 1]?.atS ?? Infinity);
}

/** "12|3": bar and beat, both from 1. */
export function barAndBeat(grid: BeatGrid, timeS: number): string {
  const bars = barsAt(grid, timeS);
  const bar = Math.floor(bars + CLOSE_BARS);
  const { beats } = stretchAt(grid, timeS);
  return `${bar + 1}|${Math.floor((bars - bar) * beats + CLOSE_BARS * beats) + 1}`;
}

/** "17–24": the bars a stretch lies in. */
export function barRange(grid: BeatGrid, [fromS, toS]: readonly [number, number]): string {
  const first = Math.floor(barsAt(grid, fromS) + 0.01) + 1;
  const last = Math.max(first, Math.ceil(barsAt(grid, toS) - 0.01));
  return first === last ? String(first) : `${first}–${last}`;
}

/** The nearest bar or beat, or the time itself; never before the song. */
export function snapped(grid: BeatGrid, timeS: number, snap: Snap): number {
  if (snap === "free") return Math.max(0, timeS);
  const parts = snap === "bar" ? 1 : stretchAt(grid, timeS).beats;
  const place = barsAt(grid, timeS) * parts;
  const before = timeOfBars(grid, Math.floor(place) / parts);
  const behind = timeOfBars(grid, Math.ceil(place) / parts);
  return Math.max(0, timeS - before < behind - timeS ? before : behind);
}

/** A time so many bars or beats on. */
export function stepped(grid: BeatGrid, timeS: number, unit: "bar" | "beat", steps: number): number {
  const by = steps / (unit === "bar" ? 1 : stretchAt(grid, timeS).beats);
  return Math.max(0, timeOfBars(grid, barsAt(grid, timeS) + by));
}

/** Bar numbers and their times in a stretch, every so many bars. */
export function barLines(grid: BeatGrid, fromS: number, toS: number, every: number): [number, number][] {
  const lines: [number, number][] = [];
  const first = Math.ceil(barsAt(grid, fromS) / every - CLOSE_BARS) * every;
  for (let bar = first; lines.length < 2000; bar += every) {
    const atS = timeOfBars(grid, bar);
    if (atS > toS) break;
    lines.push([bar + 1, atS]);
  }
  return lines;
}

/** Every so many bars a line, in powers of two, so that there are so many pixels between. */
export function barsApart(grid: BeatGrid, pxPerS: number, leastPx: number): number {
  const shortest = Math.min(...grid.map((stretch) => stretch.barS));
  return 2 ** Math.max(0, Math.ceil(Math.log2(leastPx / (shortest * pxPerS))));
}
