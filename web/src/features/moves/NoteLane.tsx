import { chakra } from "@chakra-ui/react";
import { useCallback } from "react";

import type { Session } from "../../api/types";
import { counted } from "../../app/recording";
import { useOpen } from "../../app/SessionContext";
import { useCanvas } from "../../canvas/useCanvas";
import { SignButton } from "../../controls/SignButton";

const LANE_PX = 30;
const NOTE_PX = 2;

type NoteLaneProps = { track: Session["note_tracks"][number]; durationS: number };

/** Notes over the song: what pads played, or what a MIDI file brought. */
export function NoteLane({ track, durationS }: NoteLaneProps) {
  const { edit } = useOpen();
  const { ref: canvas } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) => {
        context.fillStyle = colors.key;
        for (const note of track.notes) {
          const high = Math.max(4, note.velocity * (heightPx - 4));
          const wide = Math.max(NOTE_PX, (note.length_s / durationS) * widthPx - 1);
          context.fillRect((note.at_s / durationS) * widthPx, heightPx - high, wide, high);
        }
      },
      [track, durationS],
    ),
    false,
  );
  return (
    <chakra.div
      role="group"
      aria-label={`Notes ${track.name}`}
      position="relative"
      height={`${LANE_PX}px`}
      borderTop="1px solid"
      borderColor="rule"
    >
      <chakra.div position="absolute" left="72px" right="12px" height="100%">
        <chakra.canvas ref={canvas} width="100%" height="100%" />
      </chakra.div>
      <chakra.div
        position="absolute"
        left="12px"
        top="2px"
        display="flex"
        alignItems="center"
        gap="6px"
        bg="card"
      >
        <chakra.span bg="card" paddingRight="4px">
          <strong>{track.name}</strong>{" "}
          <chakra.span color="quiet">{counted(track.notes.length, "note")}</chakra.span>
        </chakra.span>
        <SignButton
          label={`No notes ${track.name}`}
          onClick={() => void edit({ type: "remove-note-track", track: track.id })}
        />
      </chakra.div>
    </chakra.div>
  );
}
