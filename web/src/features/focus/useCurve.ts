import { useSyncExternalStore } from "react";

import { useOpen } from "../../app/SessionContext";
import type { ProcessorCurve } from "../../live/protocol";

/** The curve the server last computed for a processor of the watched strip. */
export function useCurve(processorId: string): ProcessorCurve | undefined {
  const { live } = useOpen();
  return useSyncExternalStore(live.curves.subscribe, live.curves.get).get(processorId);
}
