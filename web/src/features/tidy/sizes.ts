/** CSS pixels. */
export const ROW_PX = 30;
export const NAME_PX = 340;

/** Name, what it plays, length, source peak. */
export const COLUMNS = "minmax(0, 1fr) 46px 46px 54px";
