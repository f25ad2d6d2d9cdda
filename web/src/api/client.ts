import type { ErrorBody } from "./types";

/** An error as the server tells it: what, where, and what to do. */
export class ServerError extends Error {
  constructor(
    readonly status: number,
    readonly body: ErrorBody,
  ) {
    super(body.what);
  }
}

export async function request<T>(method: string, path: string, body?: unknown): Promise<T> {
  let response: Response;
  try {
    response = await fetch(path, {
      method,
      headers: body === undefined ? {} : { "Content-Type": "application/json" },
      body: body === undefined ? null : JSON.stringify(body),
    });
  } catch {
    throw new ServerError(0, unreachable());
  }
  if (!response.ok) throw await errorOf(response.status, await response.text());
  return (response.status === 204 ? undefined : await response.json()) as T;
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
