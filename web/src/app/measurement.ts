import { useEffect } from "react";
import { create } from "zustand";

import { server } from "../api/client";
import { useMeasurement, type Measurement } from "../api/useMeasurement";
import type { Wish } from "../api/types";
import { useOpen } from "./SessionContext";

/** Levels of a signal; null is silence, or that there is none. */
export type StageFigures = {
  name: "source" | "trim" | "processor" | "lane" | "pre-fader" | "post-fader";
  /** Whose output it is, or the block its lane belongs to. */
  processor: string | null;
  lane: string | null;
  sample_peak_dbfs: number | null;
  sample_peak_at_s: number;
  true_peak_dbtp: number | null;
  true_peak_at_s: number;
  rms_dbfs: number | null;
  vu_dbfs: number | null;
  integrated_lufs: number | null;
  max_short_term_lufs: number | null;
  max_momentary_lufs: number | null;
  loudness_range_lu: number | null;
  crest_db: number;
  dc: number;
  overs: number;
  first_over_s: number | null;
};

export type StripFigures = {
  stages: StageFigures[];
  /** Which stage is the first to clip. */
  clips_at: number | null;
  to_bus_db: number | null;
  to_mix_db: number | null;
};

export type Finding = {
  id: string;
  evidence_key: string;
  kind: string;
  strip: string;
  title: string;
  evidence: string;
  why: string;
  weight: "wrong" | "look";
  at_s: number | null;
  cure: Wish | null;
  cure_text: string;
  look: string;
};

export type Measured = {
  revision: number;
  duration_s: number;
  peaks: number[];
  short_term_lufs: number[];
  strips: Record<string, StripFigures>;
  findings: Finding[];
};

const SETTLE_MS = 600;

type Following = {
  measured: Measured | null;
  /** Whether that is of the session as it is; false while it is being measured anew. */
  current: boolean;
  progress: number | null;
  waitsFor: Measurement<Measured>["waitsFor"];
};

/** The whole song measured, anew some time after the last edit. */
export const useMeasured = create<Following>(() => ({
  measured: null,
  current: false,
  progress: null,
  waitsFor: null,
}));

/** How far measuring is, in words. */
export function progressWords({
  progress,
  waitsFor,
}: Pick<Measurement<unknown>, "progress" | "waitsFor">): string {
  const share = progress === null ? "" : ` ${Math.round(100 * progress)} %`;
  const reason = {
    "other programs": "other programs keep the processor busy",
    "other jobs": "another job is first",
  };
  return `measuring${share}${waitsFor ? `: ${reason[waitsFor]}` : ""}`;
}

/** Keeps the measurement up to date; used once. */
export function useFollowMeasurement(): void {
  const { state } = useOpen();
  const { result, current, progress, waitsFor } = useMeasurement<Measured>({
    start: () =>
      server.POST("/api/sessions/{session_id}/measurement", { params: { path: { session_id: state.id } } }),
    about: state.id,
    version: state.revision,
    settleMs: SETTLE_MS,
  });
  useEffect(
    () => useMeasured.setState({ measured: result, current, progress, waitsFor }),
    [result, current, progress, waitsFor],
  );
}

/** One of a strip's stages, if it has been measured. */
export function stageOf(
  measured: Measured | null,
  strip: string,
  name: StageFigures["name"],
): StageFigures | undefined {
  return measured?.strips[strip]?.stages.find((stage) => stage.name === name);
}
