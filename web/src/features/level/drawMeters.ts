import type { ColorName } from "../../theme/tokens";
import type { Colors } from "../../canvas/colors";
import { levelToPx, REFERENCE_DB } from "../../canvas/scale";
import { size } from "../../theme/tokens";
import { REDUCTION_PX, REDUCTION_RANGE_DB } from "./columns";

export type Level = { peakDb: number; holdDb: number; rmsDb: number };

const NEAR_DB = 4;

/** How a level stands to the reference; coloured only where that means something. */
export function toneOf(levelDb: number, judged: boolean): ColorName {
  if (levelDb > 0) return "over";
  if (!judged || levelDb < -100) return "ink";
  if (levelDb > REFERENCE_DB + NEAR_DB) return "hot";
  return levelDb < REFERENCE_DB - NEAR_DB ? "under" : "at";
}

/** One strip's meter: a thick bar to RMS, a thin one to peak, a mark at the held peak. */
export function paintMeters(
  context: CanvasRenderingContext2D,
  topPx: number,
  meterPx: number,
  colors: Colors,
  level: Level,
  tone: ColorName,
): void {
  const x = (levelDb: number) => levelToPx(levelDb, meterPx);
  const middle = topPx + size.rowPx / 2;
  context.fillStyle = colors.rule;
  context.fillRect(x(REFERENCE_DB), topPx, 1, size.rowPx);
  context.fillStyle = colors.over;
  context.globalAlpha = 0.08;
  context.fillRect(x(0), topPx, x(6) - x(0), size.rowPx);
  context.globalAlpha = 1;
  context.fillRect(x(0), topPx, 1, size.rowPx);
  context.fillStyle = colors[tone];
  context.fillRect(0, middle - 1, x(level.peakDb), 2);
  context.fillRect(0, middle - 4, x(level.rmsDb), 8);
  if (level.holdDb > -100) context.fillRect(x(level.holdDb) - 1, middle - 6, 2, 12);
  if (tone === "over") {
    context.beginPath();
    context.moveTo(x(6) - 5, middle - 5);
    context.lineTo(x(6), middle + 5);
    context.lineTo(x(6) - 10, middle + 5);
    context.fill();
  }
}

/** Gain reduction: a bar that grows to the left from zero. */
export function paintReduction(
  context: CanvasRenderingContext2D,
  topPx: number,
  colors: Colors,
  reductionDb: number,
): void {
  if (reductionDb <= 0.05) return;
  const long = Math.min(1, reductionDb / REDUCTION_RANGE_DB) * REDUCTION_PX;
  context.fillStyle = colors.key;
  context.fillRect(REDUCTION_PX - long, topPx + size.rowPx / 2 - 3, long, 6);
}
