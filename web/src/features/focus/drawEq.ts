import type { Colors } from "../../canvas/colors";
import { frequencyToPx } from "../../canvas/scale";
import type { ProcessorCurve } from "../../live/protocol";

export const EQ_RANGE_DB = 18;
const MARKS_HZ: [number, string][] = [
  [100, "100"],
  [1000, "1k"],
  [10000, "10k"],
];
const SPECTRUM_LOW_DB = -90;

/** Place of a gain: the middle is 0 dB. */
export function gainToPx(gainDb: number, heightPx: number): number {
  return heightPx / 2 - (gainDb / EQ_RANGE_DB) * (heightPx / 2 - 6);
}

export function pxToGain(yPx: number, heightPx: number): number {
  return ((heightPx / 2 - yPx) / (heightPx / 2 - 6)) * EQ_RANGE_DB;
}

/**
 * The curve over the spectrum of what leaves the equaliser; where bands move, how they stand, how they are all the way,
 * dotted, and as followers have them now.
 */
export function paintEq(
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
  curve: ProcessorCurve | undefined,
  spectrum: Float32Array | null,
  led: Float32Array | null = null,
): void {
  context.font = "11px 'Atkinson Hyperlegible Mono Variable', monospace";
  MARKS_HZ.forEach(([frequency, name]) => {
    const x = frequencyToPx(frequency, widthPx);
    context.fillStyle = colors.rule;
    context.fillRect(x, 0, 1, heightPx);
    context.fillStyle = colors.quiet;
    context.fillText(name, x + 3, 10);
  });
  context.fillStyle = colors.rule;
  context.fillRect(0, heightPx / 2, widthPx, 1);
  if (spectrum) {
    context.fillStyle = colors.under;
    context.globalAlpha = 0.35;
    context.beginPath();
    context.moveTo(0, heightPx);
    spectrum.forEach((level, index) => {
      const share = Math.max(0, (level - SPECTRUM_LOW_DB) / -SPECTRUM_LOW_DB);
      context.lineTo((index / (spectrum.length - 1)) * widthPx, heightPx - share * heightPx);
    });
    context.lineTo(widthPx, heightPx);
    context.fill();
    context.globalAlpha = 1;
  }
  if (!curve) return;
  const draw = (gains: ArrayLike<number>) => {
    context.beginPath();
    for (let index = 0; index < gains.length; index += 1) {
      context.lineTo(frequencyToPx(curve.axis[index] ?? 20, widthPx), gainToPx(gains[index] ?? 0, heightPx));
    }
    context.stroke();
  };
  context.strokeStyle = colors.ink;
  context.lineWidth = 1.6;
  draw(curve.curve);
  context.strokeStyle = colors.follow;
  if (curve.moved) {
    context.setLineDash([1.5, 3]);
    draw(curve.moved);
    context.setLineDash([]);
  }
  if (led) draw(led);
}
