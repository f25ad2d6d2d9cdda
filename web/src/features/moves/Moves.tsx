import { chakra } from "@chakra-ui/react";
import { useRef } from "react";

import { useMovables } from "../../api/queries";
import { drawOverTime } from "../../app/moves";
import { useOpen, useTransport } from "../../app/SessionContext";
import { LANE_TOOLS, useView } from "../../app/store";
import { ActionMenu } from "../../controls/ActionMenu";
import { Choice } from "../../controls/Choice";
import { PlainButton } from "../../controls/PlainButton";
import { Segments } from "../../controls/Segments";
import { useSliding } from "../../lib/animation";
import type { Snap } from "../../lib/beatGrid";
import { songLengthS } from "../../lib/music";
import { useWidth } from "../../lib/useWidth";
import { Lane } from "./Lane";
import { NoteLane } from "./NoteLane";
import { RecordBar } from "./RecordBar";

const SNAPS: { value: Snap; label: string }[] = [
  { value: "bar", label: "snaps to bar" },
  { value: "beat", label: "snaps to beat" },
  { value: "free", label: "free" },
];

/** What moves over the song, on the song line's own time. */
export function Moves() {
  const open = useView((view) => view.movesOpen);
  return open ? <Drawer /> : null;
}

function Drawer() {
  const open = useOpen();
  const { state, live, strips } = open;
  const transport = useTransport();
  const focused = useView((view) => view.focused);
  const { data: movables } = useMovables(state.id, state.revision);
  const scale = useRef<HTMLDivElement>(null);
  const widthPx = useWidth(scale);
  const { moves, sections, note_tracks: noteTracks } = state.document;
  const tool = useView((view) => view.laneTool);
  const snap = useView((view) => view.laneSnap);
  const durationS = songLengthS(transport.durationS, sections);
  const playhead = useSliding(() => Math.min(1, live.positionS() / durationS) * widthPx);
  const known = new Map((movables ?? []).map((item) => [item.address, item]));
  const name = strips.get(focused)?.name ?? "";
  const free = (movables ?? []).filter(
    (item) =>
      item.address.startsWith(`strips/${focused}/`) && !moves.some((move) => move.target === item.address),
  );
  return (
    <chakra.section
      aria-label="Moves"
      gridColumn="1 / -1"
      position="relative"
      bg="card"
      borderBottom="1px solid"
      borderColor="rule"
      maxHeight="44vh"
      overflowY="auto"
    >
      <chakra.div display="flex" alignItems="center" gap="12px" height="32px" padding="0 12px">
        <chakra.h2 fontWeight="700">Moves</chakra.h2>
        <chakra.span color="quiet" fontSize="small" flex="1">
          {moves.length
            ? `${moves.length} over the song line’s time`
            : "Nothing moves yet: draw a parameter over the song, from the list or with V on its control."}
        </chakra.span>
        <ActionMenu
          label={`Draw a parameter of ${name} over the song`}
          text="draw another"
          items={free.map((item) => ({ value: item.address, label: item.name.replace(`${name} `, "") }))}
          onSelect={(address) => drawOverTime(open, address)}
        />
        <Segments
          label="What the pointer does in a lane"
          options={LANE_TOOLS}
          value={tool}
          onChange={(laneTool) => useView.setState({ laneTool })}
        />
        <Choice
          label="Points keep to"
          value={snap}
          options={SNAPS}
          onChange={(laneSnap) => useView.setState({ laneSnap })}
        />
        <RecordBar />
        <PlainButton height="target" onClick={() => useView.setState({ movesOpen: false })}>
          hide
        </PlainButton>
      </chakra.div>
      <chakra.div position="relative">
        <chakra.div
          ref={scale}
          position="absolute"
          left="72px"
          right="12px"
          height="100%"
          pointerEvents="none"
        >
          <chakra.div
            ref={playhead}
            position="absolute"
            left="-0.75px"
            width="1.5px"
            height="100%"
            bg="ink"
          />
        </chakra.div>
        {moves.map((move, place) => {
          const movable = known.get(move.target);
          return (
            movable && (
              <Lane
                key={move.target}
                move={move}
                movable={movable}
                movables={movables ?? []}
                durationS={durationS}
                widthPx={widthPx}
                tall={place === 0}
              />
            )
          );
        })}
        {noteTracks.map((track) => (
          <NoteLane key={track.id} track={track} durationS={durationS} />
        ))}
      </chakra.div>
    </chakra.section>
  );
}
