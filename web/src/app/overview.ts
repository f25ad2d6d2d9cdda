import { useEffect } from "react";
import { create } from "zustand";

import { useMeasurement } from "../api/useMeasurement";
import { useOpen } from "./SessionContext";

export type Overview = {
  duration_s: number;
  peaks: number[];
  short_term_lufs: number[];
  /** Highest sample of each strip at source, pre-fader and post-fader, dBFS. */
  strips: Record<string, number[]>;
};

const SETTLE_MS = 600;

/** Waveform, loudness and levels of the whole song, rendered anew some time after the last edit. */
export const useOverview = create<{ overview: Overview | null; progress: number | null }>(() => ({
  overview: null,
  progress: null,
}));

/** Keeps the overview up to date; used once. */
export function useFollowOverview(): void {
  const { state } = useOpen();
  const { result, progress } = useMeasurement<Overview>({
    path: `/api/sessions/${state.id}/overview`,
    version: state.revision,
    settleMs: SETTLE_MS,
  });
  useEffect(() => useOverview.setState({ overview: result, progress }), [result, progress]);
}
