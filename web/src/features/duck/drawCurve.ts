import type { CurveNode } from "../../api/types";
import type { Colors } from "../../canvas/colors";
import { stepped, type BeatGrid } from "../../lib/beatGrid";
import { bent } from "../../lib/moves";
import type { DuckReport } from "./report";

export const CURVE_MARGIN_PX = 12;

/** How open a curve is at a share of its length. */
export function openAt(curve: readonly CurveNode[], at: number): number {
  const place = curve.findLastIndex((node) => node.at <= at);
  const begin = curve[Math.max(0, place)];
  const end = curve[place + 1];
  if (!begin) return 1;
  if (place < 0 || !end) return begin.open;
  const share = bent((at - begin.at) / (end.at - begin.at), begin.bend);
  return begin.open + share * (end.open - begin.open);
}

/** How far from the top an opening is drawn. */
export function yOfOpen(open: number, heightPx: number): number {
  return CURVE_MARGIN_PX + (1 - open) * (heightPx - 2 * CURVE_MARGIN_PX);
}

type CurvePicture = {
  curve: readonly CurveNode[];
  lengthPx: number;
  /** What was heard last, of which the trigger's wave is shown from a hit on. */
  report: DuckReport | null;
  grid: BeatGrid;
};

/** The trigger's wave from its first hit on, and the beats, under the curve. */
function paintTrigger(
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
  { lengthPx, report, grid }: CurvePicture,
): void {
  const fromS = report?.hits_s[0];
  if (!report || fromS === undefined || !report.length_s) return;
  const pxPerS = lengthPx / report.length_s;
  context.fillStyle = colors.rule;
  for (let beatS = stepped(grid, fromS - 1e-3, "beat", 1), left = 64; left; left -= 1) {
    const x = (beatS - fromS) * pxPerS;
    if (x > widthPx) break;
    context.fillRect(x, 0, 1, heightPx);
    beatS = stepped(grid, beatS, "beat", 1);
  }
  const peak = Math.max(1e-4, ...report.trigger);
  const binS = (report.end_s - report.start_s) / Math.max(1, report.trigger.length);
  context.fillStyle = colors.under;
  context.globalAlpha = 0.35;
  report.trigger.forEach((level, bin) => {
    const x = (report.start_s + bin * binS - fromS) * pxPerS;
    if (x < -binS * pxPerS || x > widthPx) return;
    const half = (level / peak) * (heightPx / 2 - CURVE_MARGIN_PX);
    context.fillRect(x, heightPx / 2 - half, Math.max(1, binS * pxPerS), 2 * half);
  });
  context.globalAlpha = 1;
}

/** The curve and, paler, how it begins again, over what starts it. */
export function paintCurve(
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
  picture: CurvePicture,
): void {
  const { curve, lengthPx } = picture;
  paintTrigger(context, widthPx, heightPx, colors, picture);
  for (const [share, word] of [
    [1, "open"],
    [0.5, "half"],
    [0, "down"],
  ] as const) {
    const y = yOfOpen(share, heightPx);
    context.strokeStyle = colors.rule;
    context.beginPath();
    context.moveTo(0, y);
    context.lineTo(widthPx, y);
    context.stroke();
    context.fillStyle = colors.quiet;
    context.font = "11px 'Atkinson Hyperlegible Next Variable', sans-serif";
    context.fillText(word, widthPx - 30, y - 3);
  }
  context.strokeStyle = colors.key;
  context.fillStyle = colors.key;
  context.lineWidth = 2;
  for (let first = 0, repeat = 0; first < widthPx; first += lengthPx, repeat += 1) {
    context.globalAlpha = repeat ? 0.35 : 1;
    context.beginPath();
    const last = Math.min(lengthPx, widthPx - first);
    for (let x = 0; x <= last; x += 1)
      context.lineTo(first + x, yOfOpen(openAt(curve, x / lengthPx), heightPx));
    context.stroke();
    context.lineTo(first + last, heightPx - CURVE_MARGIN_PX);
    context.lineTo(first, heightPx - CURVE_MARGIN_PX);
    context.globalAlpha = repeat ? 0.04 : 0.1;
    context.fill();
  }
  context.globalAlpha = 1;
  context.lineWidth = 1;
}
