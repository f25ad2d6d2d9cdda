import { create } from "zustand";

import type { Live, MonitorMode } from "../live/live";

/** How the mix is heard; nothing of it is printed. */
export const useMonitor = create<{ mode: MonitorMode; dim: boolean }>(() => ({ mode: "stereo", dim: false }));

export function listen(live: Live, change: Partial<{ mode: MonitorMode; dim: boolean }>): void {
  useMonitor.setState(change);
  const { mode, dim } = useMonitor.getState();
  live.listen(mode, dim);
}

/** Hear the mix so, or as it is if it is heard so already. */
export function toggleMode(live: Live, mode: MonitorMode): void {
  listen(live, { mode: useMonitor.getState().mode === mode ? "stereo" : mode });
}
