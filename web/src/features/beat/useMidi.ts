import { upload } from "../../api/client";
import type { Wish } from "../../api/types";
import { report, useOpen } from "../../app/SessionContext";

const MIDI_NAME = /\.midi?$/i;

export function isMidi(file: File): boolean {
  return MIDI_NAME.test(file.name);
}

/** Takes a MIDI file's beat, in one edit. */
export function useMidi() {
  const { state, edit } = useOpen();
  const takeMidi = async (file: File): Promise<void> => {
    const path = `/api/sessions/${state.id}/midi?name=${encodeURIComponent(file.name)}`;
    try {
      const action = await upload<Wish>(path, file, () => undefined, new AbortController().signal);
      await edit(action);
    } catch (failure) {
      report(failure);
    }
  };
  return { takeMidi };
}
