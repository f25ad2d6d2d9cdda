const LOW_DB = -18;
/** Where the visible scale ends; keys and typing go on to the level's own end. */
const HIGH_DB = 12;
/** Where a fader's travel ends; below lies silence. */
export const LOWEST_DB = -60;

/** Place of a level on a fader, 0 to 1. Below the visible scale the fader runs faster, down to silence. */
export function faderShare(levelDb: number | null): number {
  if (levelDb === null) return 0;
  if (levelDb >= LOW_DB) return Math.min(1, 0.15 + (0.85 * (levelDb - LOW_DB)) / (HIGH_DB - LOW_DB));
  return (0.15 * (Math.max(levelDb, LOWEST_DB) - LOWEST_DB)) / (LOW_DB - LOWEST_DB);
}

/** The level at a place on a fader. */
export function faderLevel(share: number): number | null {
  if (share <= 0.002) return null;
  const level =
    share >= 0.15
      ? LOW_DB + ((share - 0.15) / 0.85) * (HIGH_DB - LOW_DB)
      : LOWEST_DB + (share / 0.15) * (LOW_DB - LOWEST_DB);
  return Math.round(Math.min(HIGH_DB, level) * 10) / 10;
}
