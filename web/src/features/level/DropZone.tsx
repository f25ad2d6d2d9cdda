import { chakra } from "@chakra-ui/react";
import { useState, type DragEvent, type ReactNode } from "react";

import { filesIn } from "../../lib/dropped";
import { useImport } from "./useImport";

/** Takes audio files dropped anywhere on the page. */
export function DropZone({ children }: { children: ReactNode }) {
  const [over, setOver] = useState(false);
  const { bringIn } = useImport();
  const carriesFiles = (event: DragEvent) => event.dataTransfer.types.includes("Files");
  return (
    <chakra.div
      onDragOver={(event) => {
        if (!carriesFiles(event)) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget as Node)) setOver(false);
      }}
      onDrop={(event) => {
        if (!carriesFiles(event)) return;
        event.preventDefault();
        setOver(false);
        void filesIn(event.dataTransfer).then(({ files }) => bringIn(files));
      }}
    >
      {children}
      {over && (
        <chakra.div
          position="fixed"
          inset="12px"
          border="2px dashed"
          borderColor="focus"
          bg="wash"
          opacity="0.9"
          display="grid"
          placeItems="center"
          fontSize="title"
          zIndex="overlay"
          pointerEvents="none"
        >
          Let go to bring the files in, one track each
        </chakra.div>
      )}
    </chakra.div>
  );
}
