import type { CurveNode } from "../../api/types";
import type { Colors } from "../../canvas/colors";
import { bent } from "../../lib/moves";

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

/** The curve and, paler, how it begins again. */
export function paintCurve(
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
  curve: readonly CurveNode[],
  lengthPx: number,
): void {
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
