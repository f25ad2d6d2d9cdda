import { useRef } from "react";

import { PlainButton } from "../../controls/PlainButton";
import { useImport } from "./useImport";

/** Chooses audio files to bring in. */
export function FilePicker() {
  const { bringIn } = useImport();
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        accept=".wav,.flac,.aif,.aiff,.ogg,.opus,.mp3,.w64,.mid,.midi,audio/*"
        aria-label="Audio files"
        onChange={(event) => {
          void bringIn([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <PlainButton onClick={() => input.current?.click()}>Add files…</PlainButton>
    </>
  );
}
