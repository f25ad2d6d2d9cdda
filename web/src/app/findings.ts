import { useMemo } from "react";

import { server } from "../api/client";
import { refreshPutAside, usePutAside } from "../api/queries";
import { useMeasured, type Finding } from "./measurement";
import { report, useOpen } from "./SessionContext";
import type { Station } from "./store";

/** Findings nobody has put aside, or whose evidence has changed since. */
export function useOpenFindings(): Finding[] {
  const { state } = useOpen();
  const measured = useMeasured((store) => store.measured);
  const { data: aside } = usePutAside(state.id);
  return useMemo(() => {
    const keys = new Map(aside?.map((item) => [item.finding, item.evidence_key]));
    return (measured?.findings ?? []).filter((finding) => keys.get(finding.id) !== finding.evidence_key);
  }, [measured, aside]);
}

/** The gravest weight among the findings of each station. */
export function weightsByStation(findings: Finding[]): Map<Station, Finding["weight"]> {
  const weights = new Map<Station, Finding["weight"]>();
  findings.forEach((finding) => {
    const station = finding.look as Station;
    if (weights.get(station) !== "wrong") weights.set(station, finding.weight);
  });
  return weights;
}

export async function putAside(session: string, finding: Finding, reason: string): Promise<void> {
  try {
    await server.POST("/api/sessions/{session_id}/put-aside", {
      params: { path: { session_id: session } },
      body: { finding: finding.id, evidence_key: finding.evidence_key, reason },
    });
    refreshPutAside(session);
  } catch (failure) {
    report(failure);
  }
}

export async function takeBack(session: string, finding: string): Promise<void> {
  try {
    await server.DELETE("/api/sessions/{session_id}/put-aside", {
      params: { path: { session_id: session }, query: { finding } },
    });
    refreshPutAside(session);
  } catch (failure) {
    report(failure);
  }
}
