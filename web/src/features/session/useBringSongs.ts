import { useState } from "react";

import { answer, server, ServerError, upload, uploadTracks } from "../../api/client";
import { refreshSessions } from "../../api/queries";
import type { NewTrack, SessionState } from "../../api/types";
import { openSession } from "../../app/location";
import { filesIn } from "../../lib/dropped";

export type Bringing = { words: string; share: number };

const SESSION = /\.gemischt(\.json|\.zip)$|\.zip$/i;

/** Files dropped on the list: sessions are opened, audio becomes a new song. */
export function useBringSongs(onProblem: (problem: string) => void) {
  const [bringing, setBringing] = useState<Bringing | null>(null);
  const fail = (name: string, failure: unknown) =>
    onProblem(
      failure instanceof ServerError
        ? `${name}: ${failure.body.what}. ${failure.body.remedy}`
        : `${name}: ${String(failure)}`,
    );

  const takeSession = async (file: File) => {
    const path = `/api/sessions/archive?name=${encodeURIComponent(file.name)}`;
    const state = await upload<SessionState>(
      path,
      file,
      (share) => setBringing({ words: file.name, share }),
      new AbortController().signal,
    );
    refreshSessions();
    return state.id;
  };
  const makeSong = async (files: File[], name: string) => {
    const state = await answer(server.POST("/api/sessions", { body: { name } }));
    const tracks: NewTrack[] = [];
    for (const [index, file] of files.entries()) {
      try {
        const one = (share: number) =>
          setBringing({ words: file.name, share: (index + share) / files.length });
        tracks.push(...(await uploadTracks(state.id, file, one)));
      } catch (failure) {
        fail(file.name, failure);
      }
    }
    const { revision } = await answer(
      server.GET("/api/sessions/{session_id}", { params: { path: { session_id: state.id } } }),
    );
    if (tracks.length)
      await answer(
        server.POST("/api/sessions/{session_id}/edits", {
          params: { path: { session_id: state.id } },
          body: { revision, action: { type: "add-tracks", tracks, tidy: true }, evidence_revision: null },
        }),
      );
    refreshSessions();
    return tracks.length ? state.id : null;
  };
  const bring = async (files: File[], folder: string | null) => {
    const sessions = files.filter((file) => SESSION.test(file.name));
    const audio = files.filter((file) => !SESSION.test(file.name) && !file.name.startsWith("."));
    let last: string | null = null;
    for (const file of sessions) {
      try {
        last = await takeSession(file);
      } catch (failure) {
        fail(file.name, failure);
      }
    }
    if (audio.length) {
      const first = audio[0]?.name.replace(/\.[^.]*$/, "") ?? "";
      last =
        (await makeSong(audio, folder ?? first).catch((failure: unknown) => {
          fail(folder ?? first, failure);
          return null;
        })) ?? last;
    }
    setBringing(null);
    if (last && sessions.length + (audio.length ? 1 : 0) === 1) openSession(last);
  };
  const drop = async (transfer: DataTransfer) => {
    const { files, folder } = await filesIn(transfer);
    await bring(files, folder);
  };
  return { bringing, bring, drop };
}
