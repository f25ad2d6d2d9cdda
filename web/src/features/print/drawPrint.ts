import type { FileCurve } from "../../api/types";
import type { Colors } from "../../canvas/colors";

const LOUDEST_LUFS = -4;
const SOFTEST_LUFS = -40;

/** A printed file: its wave, its short-term loudness over it, and the loudness that is asked for. */
export function paintPrint(
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
  curve: FileCurve,
  askedLufs: number | null,
): void {
  const middle = heightPx * 0.6;
  const half = heightPx - middle - 2;
  const step = widthPx / curve.peaks.length;
  context.fillStyle = colors.under;
  context.globalAlpha = 0.5;
  curve.peaks.forEach((peak, index) => {
    const high = Math.max(0.5, Math.min(1, peak) * half);
    context.fillRect(index * step, middle - high, Math.max(1, step - 0.2), 2 * high);
  });
  context.globalAlpha = 1;
  const y = (lufs: number) =>
    6 +
    (1 - Math.min(1, Math.max(0, (lufs - SOFTEST_LUFS) / (LOUDEST_LUFS - SOFTEST_LUFS)))) * (heightPx - 12);
  if (askedLufs !== null) {
    context.strokeStyle = colors.focus;
    context.setLineDash([4, 3]);
    context.beginPath();
    context.moveTo(0, y(askedLufs));
    context.lineTo(widthPx, y(askedLufs));
    context.stroke();
    context.setLineDash([]);
  }
  context.strokeStyle = colors.ink;
  context.lineWidth = 1.3;
  context.beginPath();
  curve.short_term_lufs.forEach((lufs, index) => context.lineTo(index * step, y(lufs ?? SOFTEST_LUFS)));
  context.stroke();
}
