import { useEffect, useState } from "react";

import { request, ServerError } from "./client";
import type { JobStatus } from "./types";

const POLL_MS = 250;

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
  /** Where to start the job; null measures nothing. */
  path: string | null;
  body?: unknown;
  /** Changes when what is measured has changed. */
  version: string | number;
  /** How long to wait before starting, so that a flurry of edits is measured once. */
  settleMs: number;
};

/** Starts a job, follows it, and gives it up when the page no longer wants it. The last result stays meanwhile. */
export function useMeasurement<T>({ path, body, version, settleMs }: Order): Measurement<T> {
  const [state, setState] = useState({
    result: null as T | null,
    progress: null as number | null,
    waitsFor: null as JobStatus["waits_for"],
    problem: null as string | null,
    path: null as string | null,
    asked: "",
  });
  const sent = body === undefined ? undefined : JSON.stringify(body);
  const asked = `${sent} ${version}`;

  useEffect(() => {
    if (path === null) return;
    let stopped = false;
    let job: JobStatus | null = null;
    const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
    const underWay = () => job !== null && (job.state === "waiting" || job.state === "running");
    const run = async () => {
      await pause(settleMs);
      if (stopped) return;
      job = await request<JobStatus>("POST", path, sent === undefined ? undefined : JSON.parse(sent));
      while (!stopped && underWay()) {
        const { progress, waits_for: waitsFor } = job;
        setState((before) => ({ ...before, progress, waitsFor }));
        await pause(POLL_MS);
        job = await request<JobStatus>("GET", `/api/jobs/${job.id}`);
      }
      if (stopped) return;
      if (job.state === "done")
        setState({ result: job.result as T, progress: null, waitsFor: null, problem: null, path, asked });
      else setState((before) => ({ ...before, progress: null, problem: job?.error?.what ?? null }));
    };
    run().catch((failure: unknown) => {
      if (stopped) return;
      const problem = failure instanceof ServerError ? failure.body.what : String(failure);
      setState((before) => ({ ...before, progress: null, problem }));
    });
    return () => {
      stopped = true;
      if (job && underWay()) void request("DELETE", `/api/jobs/${job.id}`).catch(() => undefined);
    };
  }, [path, sent, version, settleMs, asked]);

  // A result of something else is no result.
  const current = state.path === path && state.asked === asked;
  return { ...state, current, result: state.path === path ? state.result : null };
}
