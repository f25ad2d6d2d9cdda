import { QueryClient, useQuery } from "@tanstack/react-query";
import { useCallback } from "react";

import { isUnderWay } from "../lib/jobs";
import { answer, server, ServerError } from "./client";
import type { Processor, SessionState, Target, Wish } from "./types";

export const queryClient = new QueryClient({
  defaultOptions: { queries: { staleTime: Infinity, retry: 1, refetchOnWindowFocus: false } },
});

const keys = {
  sessions: (deleted: boolean) => ["sessions", deleted],
  session: (id: string) => ["session", id],
  processors: ["processors"],
  jobs: ["jobs"],
  presets: ["presets"],
  racks: ["racks"],
  putAside: (id: string) => ["put-aside", id],
  snapshots: (id: string) => ["snapshots", id],
  differences: (id: string, snapshot: string, revision: number) => ["differences", id, snapshot, revision],
  flow: (id: string, revision: number, folded: string[]) => ["flow", id, revision, folded],
  movables: (id: string, revision: number) => ["movables", id, revision],
  relations: (id: string, revision: number) => ["relations", id, revision],
  ways: ["ways"],
  waveform: (id: string, media: string) => ["waveform", id, media],
  prints: (id: string) => ["prints", id],
  printsComing: (id: string, revision: number) => ["prints-coming", id, revision],
  printChoices: (id: string, revision: number) => ["print-choices", id, revision],
  printCurve: (id: string, file: string) => ["print-curve", id, file],
  changedSince: (id: string, file: string, revision: number) => ["changed-since", id, file, revision],
};

export function useSessions(deleted: boolean) {
  return useQuery({
    queryKey: keys.sessions(deleted),
    queryFn: () => answer(server.GET("/api/sessions", { params: { query: { deleted } } })),
    staleTime: 0,
  });
}

/** How much audio is kept, and how much room there is. */
export function useStorage() {
  return useQuery({
    queryKey: ["storage"],
    queryFn: () => answer(server.GET("/api/sessions/storage")),
    staleTime: 0,
  });
}

export function useSession(id: string) {
  return useQuery({
    queryKey: keys.session(id),
    queryFn: () => askForSession(id),
    structuralSharing: newest,
  });
}

/** The newest revision of each session that the live connection has told of. */
const told = new Map<string, number>();

async function askForSession(id: string): Promise<SessionState> {
  const ask = () =>
    answer(server.GET("/api/sessions/{session_id}", { params: { path: { session_id: id } } }));
  const state = await ask();
  // An edit may have been kept, and told of, while the answer was on its way.
  return state.revision < (told.get(id) ?? 0) ? ask() : state;
}

/** Answers may overtake each other: what is older than what is known changes nothing. */
export function newest(known: unknown, arrived: unknown): unknown {
  const before = known as SessionState | undefined;
  return before && before.revision >= (arrived as SessionState).revision ? before : arrived;
}

export function useProcessors() {
  return useQuery({
    queryKey: keys.processors,
    queryFn: () => answer(server.GET("/api/processors")),
  });
}

/** What a processor is called. */
export function useProcessorLabel(): (processor: { type: Processor["type"] }) => string {
  const { data: kinds } = useProcessors();
  return useCallback(
    ({ type }) => (type === "parallel" ? "Lanes" : (kinds?.find((kind) => kind.kind === type)?.label ?? "")),
    [kinds],
  );
}

export function usePresets() {
  return useQuery({
    queryKey: keys.presets,
    queryFn: () => answer(server.GET("/api/presets")),
  });
}

export function refreshPresets(): void {
  void queryClient.invalidateQueries({ queryKey: keys.presets });
}

export function usePutAside(id: string) {
  return useQuery({
    queryKey: keys.putAside(id),
    queryFn: () =>
      answer(server.GET("/api/sessions/{session_id}/put-aside", { params: { path: { session_id: id } } })),
  });
}

export function refreshPutAside(id: string): void {
  void queryClient.invalidateQueries({ queryKey: keys.putAside(id) });
}

export function useSnapshots(id: string) {
  return useQuery({
    queryKey: keys.snapshots(id),
    queryFn: () =>
      answer(server.GET("/api/sessions/{session_id}/snapshots", { params: { path: { session_id: id } } })),
  });
}

export function refreshSnapshots(id: string): void {
  void queryClient.invalidateQueries({ queryKey: keys.snapshots(id) });
}

/** What has changed since a snapshot, in words. */
export function useDifferences(id: string, snapshot: string, revision: number) {
  return useQuery({
    queryKey: keys.differences(id, snapshot, revision),
    queryFn: () =>
      answer(
        server.GET("/api/sessions/{session_id}/snapshots/{snapshot_id}/differences", {
          params: { path: { session_id: id, snapshot_id: snapshot } },
        }),
      ),
    enabled: snapshot !== "",
  });
}

export function useRacks() {
  return useQuery({ queryKey: keys.racks, queryFn: () => answer(server.GET("/api/racks")) });
}

/** The routing laid out; the last picture stays until the next is there. */
export function useFlow(id: string, revision: number, folded: string[]) {
  return useQuery({
    queryKey: keys.flow(id, revision, folded),
    queryFn: () =>
      answer(
        server.GET("/api/sessions/{session_id}/flow", {
          params: { path: { session_id: id }, query: { folded } },
        }),
      ),
    placeholderData: (before) => before,
    gcTime: 0,
  });
}

/** What makes room for what; the last list stays until the next is there. */
export function useRelations(id: string, revision: number) {
  return useQuery({
    queryKey: keys.relations(id, revision),
    queryFn: () =>
      answer(server.GET("/api/sessions/{session_id}/relations", { params: { path: { session_id: id } } })),
    placeholderData: (before) => before,
    gcTime: 0,
  });
}

/** Ways to make room to start from. */
export function useWays() {
  return useQuery({ queryKey: keys.ways, queryFn: () => answer(server.GET("/api/ways")) });
}

/** Peaks of a file, twenty a second. */
export function useWaveform(id: string, media: string) {
  return useQuery({
    queryKey: keys.waveform(id, media),
    queryFn: () =>
      answer(
        server.GET("/api/sessions/{session_id}/media/{media_id}/waveform", {
          params: { path: { session_id: id, media_id: media } },
        }),
      ),
  });
}

function movables(id: string, revision: number) {
  return {
    queryKey: keys.movables(id, revision),
    queryFn: () =>
      answer(server.GET("/api/sessions/{session_id}/movables", { params: { path: { session_id: id } } })),
    gcTime: 0,
  };
}

/** Every parameter that may be drawn over the song; the last list stays until the next is there. */
export function useMovables(id: string, revision: number) {
  return useQuery({ ...movables(id, revision), placeholderData: (before) => before });
}

export function fetchMovables(id: string, revision: number) {
  return queryClient.fetchQuery(movables(id, revision));
}

export function useJobs() {
  return useQuery({
    queryKey: keys.jobs,
    queryFn: () => answer(server.GET("/api/jobs")),
    staleTime: 0,
    refetchInterval: (query) => (query.state.data?.some(isUnderWay) ? 200 : false),
  });
}

/** Every file that was printed or is to be, the newest run first; a verdict on each as the session asks now. */
export function usePrints(id: string, revision: number) {
  return useQuery({
    queryKey: [...keys.prints(id), revision],
    queryFn: () =>
      answer(server.GET("/api/sessions/{session_id}/prints", { params: { path: { session_id: id } } })),
    placeholderData: (before) => before,
    staleTime: 0,
    refetchInterval: (query) => (query.state.data?.some(isUnderWay) ? 200 : false),
  });
}

export function refreshPrints(id: string): void {
  void queryClient.invalidateQueries({ queryKey: keys.prints(id) });
}

/** What each print of the list would make; the last answer stays until the next is there. */
export function usePrintsComing(id: string, revision: number) {
  return useQuery({
    queryKey: keys.printsComing(id, revision),
    queryFn: () =>
      answer(
        server.GET("/api/sessions/{session_id}/prints-coming", { params: { path: { session_id: id } } }),
      ),
    placeholderData: (before) => before,
    gcTime: 0,
  });
}

/** What prints can be meant for, and the formats there are. */
export function usePrintChoices(id: string, revision: number) {
  return useQuery({
    queryKey: keys.printChoices(id, revision),
    queryFn: () =>
      answer(
        server.GET("/api/sessions/{session_id}/print-choices", { params: { path: { session_id: id } } }),
      ),
    placeholderData: (before) => before,
    gcTime: 0,
  });
}

/** Let other songs be held against a target, too, or no longer. */
export async function shareTarget(target: Target, isShared: boolean): Promise<void> {
  if (isShared) await answer(server.POST("/api/targets", { body: target }));
  else await answer(server.DELETE("/api/targets", { params: { query: { name: target.name } } }));
  void queryClient.invalidateQueries({ queryKey: ["print-choices"] });
}

/** A printed file along its length. */
export function usePrintCurve(id: string, file: string, isThere: boolean) {
  return useQuery({
    queryKey: keys.printCurve(id, file),
    queryFn: () =>
      answer(
        server.GET("/api/sessions/{session_id}/prints/{file_id}/curve", {
          params: { path: { session_id: id, file_id: file } },
        }),
      ),
    enabled: isThere,
  });
}

/** What changed in the song since a file was printed. */
export function useChangedSince(id: string, file: string, revision: number) {
  return useQuery({
    queryKey: keys.changedSince(id, file, revision),
    queryFn: () =>
      answer(
        server.GET("/api/sessions/{session_id}/prints/{file_id}/differences", {
          params: { path: { session_id: id, file_id: file } },
        }),
      ),
    enabled: file !== "",
    gcTime: 0,
  });
}

export function cachedSession(id: string): SessionState | undefined {
  return queryClient.getQueryData<SessionState>(keys.session(id));
}

function keep(state: SessionState): SessionState {
  queryClient.setQueryData(keys.session(state.id), (known: SessionState | undefined) => newest(known, state));
  return state;
}

/** See the session as it is now, whoever edited it. */
export async function reloadSession(id: string): Promise<void> {
  await queryClient.refetchQueries({ queryKey: keys.session(id) });
}

/** Another tab edited: fetch what is newer. */
export function refreshSession(id: string, revision: number): void {
  told.set(id, revision);
  const known = cachedSession(id);
  if (known && known.revision < revision) void queryClient.invalidateQueries({ queryKey: keys.session(id) });
}

export function refreshSessions(): void {
  void queryClient.invalidateQueries({ queryKey: ["sessions"] });
}

/** Done once the jobs are known as they are now. */
export function refreshJobs(): Promise<void> {
  return queryClient.invalidateQueries({ queryKey: keys.jobs });
}

let waiting: Promise<unknown> = Promise.resolve();

/** One edit after the other, each on the newest revision this page knows. */
function inOrder(id: string, post: (revision: number) => Promise<SessionState>): Promise<SessionState> {
  const next = waiting
    .catch(() => undefined)
    .then(async () => {
      const known = cachedSession(id);
      if (!known) throw new Error("no session is open");
      try {
        return keep(await post(known.revision));
      } catch (error) {
        if (error instanceof ServerError && error.status === 409) {
          await queryClient.refetchQueries({ queryKey: keys.session(id) });
        }
        throw error;
      }
    });
  waiting = next;
  return next;
}

/** What was edited so far is kept, or refused. */
export async function editsDone(): Promise<void> {
  await waiting.catch(() => undefined);
}

export function postEdit(id: string, action: Wish, evidenceRevision?: number): Promise<SessionState> {
  return inOrder(id, (revision) =>
    answer(
      server.POST("/api/sessions/{session_id}/edits", {
        params: { path: { session_id: id } },
        body: { revision, action, evidence_revision: evidenceRevision ?? null },
      }),
    ),
  );
}

/** Make the session, or some strips, what a snapshot holds. */
export function postTakeBack(id: string, snapshot: string, strips: string[]): Promise<SessionState> {
  return inOrder(id, (revision) =>
    answer(
      server.POST("/api/sessions/{session_id}/snapshots/{snapshot_id}/take-back", {
        params: { path: { session_id: id, snapshot_id: snapshot } },
        body: { revision, strips },
      }),
    ),
  );
}

export function postStep(id: string, step: "undo" | "redo"): Promise<SessionState> {
  return inOrder(id, (revision) =>
    answer(
      server.POST(`/api/sessions/{session_id}/${step}`, {
        params: { path: { session_id: id } },
        body: { revision },
      }),
    ),
  );
}
