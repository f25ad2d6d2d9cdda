/** Where the columns of the Level rows stand, CSS pixels. */

export type Columns = {
  template: string;
  meterPx: number;
  faderPx: number;
  showsReduction: boolean;
  showsWays: boolean;
};

export const REDUCTION_PX = 24;
export const REDUCTION_RANGE_DB = 12;
const PADDING_PX = 20;
/** Twelve characters of a name beside its mark. */
const LEAST_NAME_PX = 130;
const LEAST_METER_PX = 146;
const LEAST_FADER_PX = 92;
const MOST_METER_PX = 420;
const MOST_FADER_PX = 260;
const WAYS_PX = 50;
const REDUCTION_CELL_PX = REDUCTION_PX + 46;
/** Trim, peak, a gap, fader level, pan, mute and solo, output. */
const FIXED_PX = 52 + 56 + 12 + 44 + 54 + 46 + 78;

/**
 * Columns for rows of a width: meters and faders take what there is more, then names; where there is less, the number
 * of ways goes first, then the reduction.
 */
export function columnsFor(widthPx: number): Columns {
  const least = PADDING_PX + LEAST_NAME_PX + FIXED_PX + LEAST_METER_PX + LEAST_FADER_PX;
  const showsReduction = widthPx >= least + REDUCTION_CELL_PX;
  const showsWays = widthPx >= least + REDUCTION_CELL_PX + WAYS_PX;
  const more = Math.max(
    0,
    widthPx - least - (showsReduction ? REDUCTION_CELL_PX : 0) - (showsWays ? WAYS_PX : 0),
  );
  const meterPx = Math.round(Math.min(MOST_METER_PX, LEAST_METER_PX + 0.55 * more));
  const faderPx = Math.round(Math.min(MOST_FADER_PX, LEAST_FADER_PX + 0.25 * more));
  const cells = [
    "minmax(0, 1fr)",
    "52px",
    `${meterPx}px`,
    "56px",
    "12px",
    `${faderPx}px`,
    "44px",
    "54px",
    ...(showsReduction ? [`${REDUCTION_CELL_PX}px`] : []),
    "46px",
    "78px",
    ...(showsWays ? [`${WAYS_PX}px`] : []),
  ];
  return { template: cells.join(" "), meterPx, faderPx, showsReduction, showsWays };
}
