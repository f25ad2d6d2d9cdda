import type { Colors } from "../../canvas/colors";
import type { ProcessorCurve } from "../../live/protocol";

export const TRACE_S = 3;
const LOW_DB = -60;
const TRACE_RANGE_DB = 12;

/** Output over input, the threshold, and where the signal is now. */
export function paintTransfer(
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
  curve: ProcessorCurve | undefined,
  thresholdDb: number,
  now: { detectedDb: number; reductionDb: number },
): void {
  const x = (levelDb: number) => ((levelDb - LOW_DB) / -LOW_DB) * widthPx;
  const y = (levelDb: number) => heightPx - ((levelDb - LOW_DB) / -LOW_DB) * heightPx;
  context.strokeStyle = colors.rule;
  context.lineWidth = 1;
  context.strokeRect(0.5, 0.5, widthPx - 1, heightPx - 1);
  context.beginPath();
  context.moveTo(x(LOW_DB), y(LOW_DB));
  context.lineTo(x(0), y(0));
  context.stroke();
  context.strokeStyle = colors.focus;
  context.setLineDash([2, 2]);
  context.beginPath();
  context.moveTo(x(thresholdDb), 0);
  context.lineTo(x(thresholdDb), heightPx);
  context.stroke();
  context.setLineDash([]);
  if (!curve) return;
  context.strokeStyle = colors.ink;
  context.lineWidth = 1.6;
  context.beginPath();
  curve.axis.forEach((input, index) => context.lineTo(x(input), y(curve.curve[index] ?? input)));
  context.stroke();
  if (now.detectedDb > LOW_DB) {
    context.fillStyle = colors.focus;
    context.beginPath();
    context.arc(x(Math.min(0, now.detectedDb)), y(now.detectedDb - now.reductionDb), 3.5, 0, 7);
    context.fill();
  }
}

/** Gain reduction of the last seconds, hanging from 0 dB. */
export function paintTrace(
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
  trace: { at: number; reductionDb: number }[],
): void {
  const deepest = Math.max(TRACE_RANGE_DB / 2, ...trace.map((point) => point.reductionDb));
  const range =
    deepest > TRACE_RANGE_DB ? 36 : deepest > TRACE_RANGE_DB / 2 ? TRACE_RANGE_DB : TRACE_RANGE_DB / 2;
  const now = performance.now();
  const x = (at: number) => widthPx - 22 - ((now - at) / (TRACE_S * 1000)) * (widthPx - 22);
  const y = (reductionDb: number) => 4 + (reductionDb / range) * (heightPx - 8);
  context.font = "11px 'Atkinson Hyperlegible Mono Variable', monospace";
  context.fillStyle = colors.rule;
  [0, range / 2, range].forEach((mark) => context.fillRect(0, y(mark), widthPx - 22, 1));
  context.fillStyle = colors.quiet;
  context.fillText("0", widthPx - 14, 12);
  context.fillText(`−${range}`, widthPx - 20, heightPx - 2);
  const first = trace[0];
  const last = trace.at(-1);
  if (!first || !last) return;
  context.beginPath();
  context.moveTo(x(first.at), y(0));
  trace.forEach((point) => context.lineTo(x(point.at), y(point.reductionDb)));
  context.lineTo(x(last.at), y(0));
  context.fillStyle = colors.key;
  context.globalAlpha = 0.25;
  context.fill();
  context.globalAlpha = 1;
  context.strokeStyle = colors.key;
  context.lineWidth = 1.3;
  context.stroke();
}
