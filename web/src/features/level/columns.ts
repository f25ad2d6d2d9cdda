/** Where the columns of the Level rows stand, CSS pixels. */
export const METER_PX = 146;
export const FADER_PX = 92;
export const REDUCTION_PX = 30;
export const REDUCTION_RANGE_DB = 12;

export const COLUMNS = `minmax(0, 1fr) 52px ${METER_PX}px 56px 12px ${FADER_PX}px 44px 54px ${REDUCTION_PX + 40}px 46px 78px 50px`;
