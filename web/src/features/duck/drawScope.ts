import type { Colors } from "../../canvas/colors";
import { barLines, barsApart, stepped, type BeatGrid } from "../../lib/beatGrid";
import { formatNumber } from "../../lib/format";
import type { DuckReport } from "./report";

const FONT = "11px 'Atkinson Hyperlegible Mono Variable', monospace";
export const LABEL_PX = 92;
const TOP_PX = 18;
const LEAST_BAR_PX = 40;

type ScopePicture = {
  report: DuckReport;
  grid: BeatGrid;
  color: string;
  triggerName: string;
  targetName: string;
  /** Of the other targets of the same curve, in their order. */
  otherColors: string[];
  /** Where the song is, if it is inside. */
  atS: number | null;
};

/** Trigger, target before and after, and gain in dB, over the beat grid. */
export function paintScope(
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
  picture: ScopePicture,
): void {
  const { report, grid } = picture;
  const innerPx = widthPx - LABEL_PX - 12;
  const x = (atS: number) => LABEL_PX + ((atS - report.start_s) / (report.end_s - report.start_s)) * innerPx;
  const hasTrigger = report.trigger.length > 0;
  const roomPx = heightPx - TOP_PX - 8;
  const hasWaves = report.before.length > 0;
  const rows = !hasWaves ? [0.4, 0, 0.6] : hasTrigger ? [0.24, 0.3, 0.46] : [0, 0.42, 0.58];
  context.font = FONT;
  paintGrid(context, heightPx, colors, { report, grid, x, innerPx });
  let topPx = TOP_PX;
  if (hasTrigger) {
    const rowPx = (rows[0] ?? 0) * roomPx;
    label(context, colors, picture.triggerName, "trigger", topPx + rowPx / 2 - 8);
    const peak = Math.max(1e-4, ...report.trigger);
    const threshold = report.threshold_db === null ? 0 : 10 ** (report.threshold_db / 20);
    const scale = 1 / Math.max(peak, threshold);
    wave(context, report.trigger, topPx + rowPx / 2, (rowPx / 2 - 4) * scale, innerPx, colors.key, 1);
    if (report.threshold_db !== null) {
      context.strokeStyle = colors.ink;
      context.setLineDash([4, 3]);
      for (const sign of [-1, 1]) {
        const y = topPx + rowPx / 2 + sign * threshold * scale * (rowPx / 2 - 4);
        line(context, LABEL_PX, y, LABEL_PX + innerPx, y);
      }
      context.setLineDash([]);
    }
    topPx += rowPx;
  }
  const wavePx = (rows[1] ?? 0) * roomPx;
  if (hasWaves) label(context, colors, picture.targetName, "before/after", topPx + wavePx / 2 - 8);
  const loudest = 1 / Math.max(1e-4, ...report.before, ...report.after);
  wave(context, report.before, topPx + wavePx / 2, (wavePx / 2 - 4) * loudest, innerPx, colors.under, 0.55);
  wave(context, report.after, topPx + wavePx / 2, (wavePx / 2 - 4) * loudest, innerPx, picture.color, 0.9);
  topPx += wavePx;
  paintGain(context, topPx, (rows[2] ?? 0) * roomPx, innerPx, colors, picture, x);
  if (picture.atS !== null && picture.atS >= report.start_s && picture.atS <= report.end_s) {
    context.fillStyle = colors.ink;
    context.fillRect(x(picture.atS) - 1, TOP_PX - 6, 2, heightPx - TOP_PX);
  }
}

function paintGain(
  context: CanvasRenderingContext2D,
  topPx: number,
  rowPx: number,
  innerPx: number,
  colors: Colors,
  { report, otherColors }: ScopePicture,
  x: (atS: number) => number,
): void {
  const isGain = report.unit === "dB";
  const others = report.others.map((other) => Math.max(-60, Math.min(0, ...other.gain_db)));
  const lowest = Math.min(isGain ? -1 : 0, ...report.gain_db, ...others);
  const highest = Math.max(0, ...report.gain_db);
  const span = Math.max(isGain ? 2 : 1e-3, 1.15 * (highest - lowest));
  const y = (db: number) => topPx + 8 + ((highest - db) / span) * (rowPx - 16);
  label(context, colors, report.before.length ? "Gain" : "Moved by", report.unit, topPx + rowPx / 2 - 8);
  const every =
    [0.01, 0.05, 0.1, 0.2, 0.5, 1, 2, 3, 6, 12, 24, 100, 500, 2000].find((step) => span / step <= 6) ?? 5000;
  context.fillStyle = colors.quiet;
  context.textAlign = "right";
  for (let db = Math.floor(highest / every) * every; db > highest - span; db -= every) {
    context.strokeStyle = Math.abs(db) < 1e-9 ? colors.edge : colors.rule;
    line(context, LABEL_PX, y(db), LABEL_PX + innerPx, y(db));
    context.fillText(formatNumber(db, every < 1 ? 2 : 0), LABEL_PX - 5, y(db) + 4);
  }
  context.textAlign = "left";
  context.strokeStyle = colors.edge;
  for (const hit of report.hits_s) line(context, x(hit), y(0) - 6, x(hit), y(0));
  report.others.forEach((other, index) => {
    context.beginPath();
    other.gain_db.forEach((db, bin) =>
      context.lineTo(LABEL_PX + ((bin + 0.5) / other.gain_db.length) * innerPx, y(Math.max(-60, db))),
    );
    context.strokeStyle = otherColors[index] ?? colors.quiet;
    context.lineWidth = 1.4;
    context.stroke();
  });
  context.beginPath();
  report.gain_db.forEach((db, bin) =>
    context.lineTo(LABEL_PX + ((bin + 0.5) / report.gain_db.length) * innerPx, y(db)),
  );
  context.strokeStyle = colors.key;
  context.lineWidth = 1.6;
  context.stroke();
  context.lineWidth = 1;
  context.lineTo(LABEL_PX + innerPx, y(0));
  context.lineTo(LABEL_PX, y(0));
  context.fillStyle = colors.key;
  context.globalAlpha = 0.14;
  context.fill();
  context.globalAlpha = 1;
}

function paintGrid(
  context: CanvasRenderingContext2D,
  heightPx: number,
  colors: Colors,
  view: { report: DuckReport; grid: BeatGrid; x: (atS: number) => number; innerPx: number },
): void {
  const { report, grid, x, innerPx } = view;
  const every = barsApart(grid, innerPx / (report.end_s - report.start_s), LEAST_BAR_PX);
  const lines = barLines(grid, report.start_s, report.end_s - 1e-3, every);
  for (const [bar, atS] of lines) {
    context.fillStyle = colors.edge;
    context.fillRect(x(atS), 2, 1, heightPx - 4);
    context.fillStyle = colors.ink;
    context.fillText(String(bar), x(atS) + 4, 12);
    if (lines.length > 4) continue;
    for (let beatS = stepped(grid, atS, "beat", 1), beat = 2; beat < 17; beat += 1) {
      const next = barLines(grid, atS + 1e-3, report.end_s + 60, 1)[0]?.[1] ?? report.end_s;
      if (beatS >= Math.min(next, report.end_s) - 1e-3) break;
      context.fillStyle = colors.rule;
      context.fillRect(x(beatS), TOP_PX, 1, heightPx - TOP_PX);
      context.fillStyle = colors.quiet;
      context.fillText(String(beat), x(beatS) + 4, 12);
      beatS = stepped(grid, beatS, "beat", 1);
    }
  }
}

function label(
  context: CanvasRenderingContext2D,
  colors: Colors,
  first: string,
  second: string,
  y: number,
): void {
  context.fillStyle = colors.ink;
  context.fillText(first.length > 12 ? `${first.slice(0, 11)}…` : first, 0, y);
  context.fillStyle = colors.quiet;
  context.fillText(second, 0, y + 14);
}

function wave(
  context: CanvasRenderingContext2D,
  peaks: number[],
  middlePx: number,
  scalePx: number,
  innerPx: number,
  color: string,
  alpha: number,
): void {
  context.fillStyle = color;
  context.globalAlpha = alpha;
  const stepPx = innerPx / Math.max(1, peaks.length);
  peaks.forEach((peak, bin) => {
    const halfPx = Math.max(0.5, peak * scalePx);
    context.fillRect(LABEL_PX + bin * stepPx, middlePx - halfPx, Math.max(1, stepPx), 2 * halfPx);
  });
  context.globalAlpha = 1;
}

function line(context: CanvasRenderingContext2D, x0: number, y0: number, x1: number, y1: number): void {
  context.beginPath();
  context.moveTo(x0, y0);
  context.lineTo(x1, y1);
  context.stroke();
}
