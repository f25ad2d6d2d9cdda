import { useEffect, useRef, useState } from "react";

import { isUnderWay } from "../lib/jobs";
import { answer, server, ServerError } from "./client";
import { editsDone } from "./queries";
import type { JobStatus } from "./types";

/** The server answers as soon as the job has ended, or after so long tells how far it is. */
const WAIT_S = 0.25;
const AGAIN_MS = 500;

export type Measurement<T> = {
  result: T | null;
  /** Whether the result is of what was asked last; false while it is being measured anew. */
  current: boolean;
  progress: number | null;
  /** What keeps it from going on, if anything does. */
  waitsFor: JobStatus["waits_for"];
  problem: string | null;
};

type Order = {
  /** Starts the job. */
  start: () => Promise<{ data?: JobStatus }>;
  /** What is measured; null measures nothing. */
  about: string | null;
  /** Changes when it has changed. */
  version: string | number;
  /** How long to wait before starting, so that a flurry of edits is measured once. */
  settleMs: number;
  /** Whether what is asked about is itself still on its way. */
  waits?: boolean;
};

/** Starts a job, follows it, and gives it up when the page no longer wants it. The last result stays meanwhile. */
export function useMeasurement<T>({ start, about, version, settleMs, waits }: Order): Measurement<T> {
  const [state, setState] = useState({
    result: null as T | null,
    progress: null as number | null,
    waitsFor: null as JobStatus["waits_for"],
    problem: null as string | null,
    about: null as string | null,
    version: null as string | number | null,
  });
  const starting = useRef(start);
  useEffect(() => {
    starting.current = start;
  });

  useEffect(() => {
    if (about === null || waits) return;
    let stopped = false;
    let job: JobStatus | null = null;
    const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
    const underWay = () => job !== null && isUnderWay(job);
    const ask = async () => {
      // What is being edited is asked about once the page knows what has become of it.
      await editsDone();
      await pause(0);
      return stopped ? null : answer(starting.current());
    };
    const run = async () => {
      await pause(settleMs);
      job = await ask();
      if (!job) return;
      for (let againMs = AGAIN_MS; !stopped && (underWay() || job.state === "cancelled");) {
        if (job.state === "cancelled") {
          // Another page asked for the same, or the last one that did has gone: it is still wanted here.
          await pause(againMs);
          againMs *= 2;
          job = await ask();
          if (!job) return;
        }
        const { progress, waits_for: waitsFor } = job;
        setState((before) => ({ ...before, progress, waitsFor }));
        job = await answer(follow(job));
      }
      if (stopped) return;
      if (job.state === "done")
        setState({ result: job.result as T, progress: null, waitsFor: null, problem: null, about, version });
      else setState((before) => ({ ...before, progress: null, problem: job?.error?.what ?? null }));
    };
    run().catch((failure: unknown) => {
      if (stopped) return;
      const problem = failure instanceof ServerError ? failure.body.what : String(failure);
      setState((before) => ({ ...before, progress: null, problem }));
    });
    return () => {
      stopped = true;
      if (job && underWay()) void giveUp(job).catch(() => undefined);
    };
  }, [about, version, settleMs, waits]);

  // A result of something else is no result.
  const current = state.about === about && state.version === version;
  return { ...state, current, result: state.about === about ? state.result : null };
}

function follow(job: JobStatus) {
  return server.GET("/api/jobs/{job_id}", {
    params: { path: { job_id: job.id }, query: { wait_s: WAIT_S } },
  });
}

function giveUp(job: JobStatus) {
  return server.DELETE("/api/jobs/{job_id}", { params: { path: { job_id: job.id } } });
}
