import { create } from "zustand";

import type { StripSettings } from "../api/types";

export type MovingField = "trim_db" | "fader_db";
type Levels = ReadonlyMap<string, number | null>;

const NOTHING: Levels = new Map();

/** Levels that are being moved and not kept yet, by strip: what a drag of one shows on all it moves. */
export const useMoving = create<Record<MovingField, Levels>>(() => ({ trim_db: NOTHING, fader_db: NOTHING }));

export function showMoving(field: MovingField, changes: Partial<StripSettings>[]): void {
  const moved = changes.flatMap((change) =>
    change.strip !== undefined && change[field] !== undefined ? [[change.strip, change[field]] as const] : [],
  );
  useMoving.setState({ [field]: new Map(moved) });
}

export function endMoving(field: MovingField): void {
  useMoving.setState({ [field]: NOTHING });
}

/** The level of a strip as it is shown now. */
export function useLevel(field: MovingField, strip: string, kept: number | null): number | null {
  const moving = useMoving((levels) => levels[field].get(strip));
  return moving === undefined ? kept : moving;
}
