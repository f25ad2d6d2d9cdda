import { create } from "zustand";

import type { Strip, Wish } from "../api/types";
import type { Live } from "../live/live";

/** What the session is heard against: a snapshot, or itself with an edit made. */
export type Comparison = {
  /** What the two sides are called. */
  here: string;
  there: string;
  snapshot: string | null;
  action: Wish | null;
};

type Comparing = { comparison: Comparison | null; side: 0 | 1; matched: boolean };

export const useComparison = create<Comparing>(() => ({ comparison: null, side: 0, matched: true }));

export function compareWith(comparison: Comparison): void {
  useComparison.setState({ comparison, side: 0 });
}

/** Hear a strip with and without its whole chain; nothing if it has none. */
export function compareChain(strip: Strip): void {
  const working = strip.chain.filter((processor) => processor.on);
  const on = working.length > 0;
  const withChain = `with ${strip.name}'s chain`;
  const without = `without ${strip.name}'s chain`;
  if (!strip.chain.length) return;
  compareWith({
    here: on ? withChain : without,
    there: on ? without : withChain,
    snapshot: null,
    action: {
      type: "together",
      title: on ? without : withChain,
      actions: (on ? working : strip.chain).map((processor) => ({
        type: "set-processor",
        strip: strip.id,
        processor: processor.id,
        on: !on,
      })),
    },
  });
}

/** Hear the session (0) or the other side (1). */
export function hearSide(live: Live, side: 0 | 1): void {
  if (!useComparison.getState().comparison) return;
  useComparison.setState({ side });
  live.speaker.side(side);
}

export function switchSide(live: Live): void {
  hearSide(live, useComparison.getState().side === 0 ? 1 : 0);
}

export function endComparison(live: Live): void {
  useComparison.setState({ comparison: null, side: 0 });
  live.compare(null, 0);
}
