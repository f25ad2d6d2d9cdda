import { useSyncExternalStore } from "react";

import { useActing } from "../../app/SessionContext";
import type { PlacedCurve } from "../../live/live";

/** The curve the server last computed for a processor of the watched strip. */
export function useCurve(processorId: string): PlacedCurve | undefined {
  const { live } = useActing();
  return useSyncExternalStore(live.curves.subscribe, live.curves.get).get(processorId);
}
