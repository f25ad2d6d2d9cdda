/** Where the columns of the Level rows stand, CSS pixels. */
export const METER_PX = 146;
export const FADER_PX = 92;
export const REDUCTION_PX = 30;
export const REDUCTION_RANGE_DB = 12;

export const COLUMNS = `minmax(150px, 1fr) 52px ${METER_PX}px 56px 16px ${FADER_PX}px 44px 58px ${REDUCTION_PX + 44}px 48px 84px 34px`;
