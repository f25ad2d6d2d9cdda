import type { Move, Parameter } from "../../api/types";
import type { Colors } from "../../canvas/colors";
import { barLines, barsApart, type BeatGrid } from "../../lib/beatGrid";
import type { Sample } from "./freehand";
import { toShare, valueAt } from "../../lib/moves";

const LANE_MARGIN_PX = 10;
const LEAST_LINE_PX = 24;

/** How far from the top a value is drawn in a lane. */
export function yOf(parameter: Parameter, value: Move["points"][number]["value"], heightPx: number): number {
  return LANE_MARGIN_PX + (1 - toShare(parameter, value)) * (heightPx - 2 * LANE_MARGIN_PX);
}

/** How high in a lane, 0 to 1 and beyond, so far from its top is. */
export function shareAt(yPx: number, heightPx: number): number {
  return 1 - (yPx - LANE_MARGIN_PX) / (heightPx - 2 * LANE_MARGIN_PX);
}

type StrokeOverSong = { samples: readonly Sample[]; parameter: Parameter; durationS: number };

/** What is being drawn or recorded, over what was there. */
export function paintStroke(
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
  { samples, parameter, durationS }: StrokeOverSong,
): void {
  const last = samples.at(-1);
  if (!last) return;
  const x = (atS: number) => (atS / durationS) * widthPx;
  context.strokeStyle = colors.over;
  context.lineWidth = 2;
  context.beginPath();
  for (const sample of samples) context.lineTo(x(sample.at_s), yOf(parameter, sample.value, heightPx));
  context.stroke();
  context.fillStyle = colors.over;
  context.beginPath();
  context.arc(x(last.at_s), yOf(parameter, last.value, heightPx), 3.5, 0, 2 * Math.PI);
  context.fill();
}

/** A curve over the song, and what lies under it. */
export function paintLane(
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
  lane: { points: Move["points"]; parameter: Parameter; durationS: number; on: boolean; grid: BeatGrid },
): void {
  const { points, parameter, durationS, on, grid } = lane;
  context.fillStyle = colors.rule;
  const pxPerS = widthPx / durationS;
  for (const [, atS] of barLines(grid, 0, durationS, barsApart(grid, pxPerS, LEAST_LINE_PX)))
    context.fillRect(atS * pxPerS, 0, 1, heightPx);
  const curve = new Path2D();
  for (let x = 0; x <= widthPx; x += 1) {
    const y = yOf(parameter, valueAt(points, parameter, (x / widthPx) * durationS), heightPx);
    if (x === 0) curve.moveTo(x, y);
    else curve.lineTo(x, y);
  }
  context.globalAlpha = on ? 1 : 0.4;
  context.strokeStyle = colors.focus;
  context.lineWidth = 1.8;
  context.stroke(curve);
  curve.lineTo(widthPx, heightPx);
  curve.lineTo(0, heightPx);
  context.globalAlpha = on ? 0.1 : 0.04;
  context.fillStyle = colors.focus;
  context.fill(curve);
  context.globalAlpha = 1;
}
