import { create } from "zustand";

import { ServerError, uploadTracks } from "../../api/client";
import { reloadSession } from "../../api/queries";
import type { NewTrack } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { isMidi, useMidi } from "../beat/useMidi";

export type Incoming = { id: number; name: string; share: number; problem: string | null };

type Imports = { files: Incoming[]; stop: (() => void) | null };

/** Files on their way in, and those that were refused. */
export const useIncoming = create<Imports>(() => ({ files: [], stop: null }));

/** Whether each channel of a file of many becomes a track of its own. */
export const useChannels = create<{ apart: boolean }>(() => ({ apart: false }));

let numbers = 0;

function change(id: number, values: Partial<Incoming>): void {
  useIncoming.setState(({ files }) => ({
    files: files.map((file) => (file.id === id ? { ...file, ...values } : file)),
  }));
}

export function forget(id: number): void {
  useIncoming.setState(({ files }) => ({ files: files.filter((file) => file.id !== id) }));
}

/** Brings files in: each uploaded on its own, those that are sound become tracks in one edit. */
export function useImport() {
  const { state, edit } = useOpen();
  const { takeMidi } = useMidi();
  const apart = useChannels((chosen) => chosen.apart);
  const bringIn = async (chosen: File[]): Promise<void> => {
    for (const file of chosen.filter(isMidi)) await takeMidi(file);
    const files = chosen.filter((file) => !isMidi(file));
    if (!files.length) return;
    const entries = files.map((file) => {
      numbers += 1;
      return { file, entry: { id: numbers, name: file.name, share: 0, problem: null } };
    });
    const stopping = new AbortController();
    useIncoming.setState((imports) => ({
      files: [...imports.files, ...entries.map(({ entry }) => entry)],
      stop: () => stopping.abort(),
    }));
    const tracks: NewTrack[] = [];
    for (const { file, entry } of entries) {
      if (stopping.signal.aborted) {
        forget(entry.id);
        continue;
      }
      try {
        const { signal } = stopping;
        const tell = (share: number) => change(entry.id, { share });
        tracks.push(...(await uploadTracks(state.id, file, tell, { signal, apart })));
        forget(entry.id);
      } catch (failure) {
        if (stopping.signal.aborted) forget(entry.id);
        else if (failure instanceof ServerError) {
          change(entry.id, { problem: `${failure.body.what}. ${failure.body.remedy}` });
        }
      }
    }
    useIncoming.setState({ stop: null });
    // The first file may have given the session its rate.
    if (tracks.length && !state.document.media.length) await reloadSession(state.id);
    if (tracks.length) await edit({ type: "add-tracks", tracks, tidy: true });
  };
  return { bringIn };
}
