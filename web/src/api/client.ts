import createClient, { type Middleware } from "openapi-fetch";

import type { paths } from "./schema.gen";
import type { ErrorBody, NewTrack } from "./types";

/** An error as the server tells it: what, where, and what to do. */
export class ServerError extends Error {
  constructor(
    readonly status: number,
    readonly body: ErrorBody,
  ) {
    super(body.what);
  }
}

const TELL_WHAT_WENT_WRONG: Middleware = {
  onResponse: async ({ response }) => {
    if (!response.ok) throw await errorOf(response.status, await response.text());
  },
  onError: ({ error }) => (error instanceof ServerError ? error : new ServerError(0, unreachable())),
};

/** The server's paths, each with what it takes and gives; what goes wrong is thrown as a ServerError. */
export const server = createClient<paths>();
server.use(TELL_WHAT_WENT_WRONG);

/** What a call gives. */
export async function answer<T>(call: Promise<{ data?: T }>): Promise<T> {
  return (await call).data as T;
}

/** Send a file as it is, with progress from 0 to 1. */
export function upload<T>(
  path: string,
  file: File,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const call = new XMLHttpRequest();
    call.open("POST", path);
    call.upload.onprogress = (event) => onProgress(event.total ? event.loaded / event.total : 0);
    call.onload = () => {
      if (call.status < 300) resolve(JSON.parse(call.responseText) as T);
      else void errorOf(call.status, call.responseText).then(reject);
    };
    call.onerror = () => reject(new ServerError(0, unreachable()));
    call.onabort = () =>
      reject(new ServerError(0, { what: "stopped", where: file.name, remedy: "", faults: [] }));
    signal.addEventListener("abort", () => call.abort());
    call.send(file);
  });
}

/** Brings an audio file into a session: the tracks to add, one, or *apart* one for each channel. */
export function uploadTracks(
  session: string,
  file: File,
  onProgress: (share: number) => void,
  { signal = new AbortController().signal, apart = false } = {},
): Promise<NewTrack[]> {
  const path = `/api/sessions/${session}/audio?name=${encodeURIComponent(file.name)}&apart=${apart}`;
  return upload<NewTrack[]>(path, file, onProgress, signal);
}

async function errorOf(status: number, text: string): Promise<ServerError> {
  try {
    return new ServerError(status, JSON.parse(text) as ErrorBody);
  } catch {
    return new ServerError(status, {
      what: `the server answered ${status}`,
      where: "",
      remedy: "Try again.",
      faults: [],
    });
  }
}

function unreachable(): ErrorBody {
  return {
    what: "the server cannot be reached",
    where: "",
    remedy: "Check that Gemischt is running.",
    faults: [],
  };
}
