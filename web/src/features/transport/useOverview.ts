import { useEffect, useState } from "react";

import { request } from "../../api/client";
import type { JobStatus } from "../../api/types";
import { useOpen } from "../../app/SessionContext";

export type Overview = { duration_s: number; peaks: number[]; short_term_lufs: number[]; revision: number };

const SETTLE_MS = 600;
const POLL_MS = 300;

/** Waveform and loudness of the mix, rendered anew some time after the last edit. */
export function useOverview(): { overview: Overview | null; progress: number | null } {
  const { state } = useOpen();
  const [overview, setOverview] = useState<Overview | null>(null);
  const [progress, setProgress] = useState<number | null>(null);
  const { id, revision } = state;

  useEffect(() => {
    let stopped = false;
    let job: JobStatus | null = null;
    const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
    const run = async () => {
      await pause(SETTLE_MS);
      if (stopped) return;
      job = await request<JobStatus>("POST", `/api/sessions/${id}/overview`);
      while (!stopped && (job.state === "waiting" || job.state === "running")) {
        setProgress(job.progress);
        await pause(POLL_MS);
        job = await request<JobStatus>("GET", `/api/jobs/${job.id}`);
      }
      if (stopped) return;
      setProgress(null);
      if (job.state === "done") setOverview(job.result as Overview);
    };
    run().catch(() => setProgress(null));
    return () => {
      stopped = true;
      if (job && (job.state === "waiting" || job.state === "running")) {
        void request("DELETE", `/api/jobs/${job.id}`).catch(() => undefined);
      }
    };
  }, [id, revision]);

  return { overview, progress };
}
