/** CSS pixels. */
export const ROW_PX = 30;
export const NAME_PX = 340;
