import { chakra } from "@chakra-ui/react";
import { useCallback, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";

import { progressWords, useMeasured } from "../../app/measurement";
import { useOpen, useTransport } from "../../app/SessionContext";
import { useCanvas } from "../../canvas/useCanvas";
import { followPointer } from "../../controls/followPointer";
import { useSliding } from "../../lib/animation";
import { formatTime } from "../../lib/format";
import { snapped, stepped } from "../../lib/beatGrid";
import { songLengthS } from "../../lib/music";
import { useWidth } from "../../lib/useWidth";
import { SectionMarks } from "../beat";
import { paintSong } from "./drawSong";
import { Flags } from "./Flags";

/** The whole song: sections, the mix's wave and short-term loudness, loop, playhead. Click to go, double-click to play, drag to loop. */
export function SongLine() {
  const { live, state, grid } = useOpen();
  const transport = useTransport();
  const following = useMeasured();
  const { measured, current, progress } = following;
  const area = useRef<HTMLDivElement>(null);
  const [draggedS, setDraggedS] = useState<[number, number] | null>(null);
  const { sections, moves } = state.document;
  const durationS = songLengthS(transport.durationS, sections);
  const loopS = draggedS ?? transport.loopS;

  const { ref: still } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) =>
        paintSong(context, widthPx, heightPx, colors, {
          durationS,
          sections,
          measured,
          loopS,
          grid,
          moves,
        }),
      [durationS, sections, measured, loopS, grid, moves],
    ),
    false,
  );
  const widthPx = useWidth(area);
  const playhead = useSliding(() => Math.min(1, live.positionS() / durationS) * widthPx);

  const timeAt = (clientX: number): number => {
    const box = area.current?.getBoundingClientRect();
    if (!box) return 0;
    return Math.min(1, Math.max(0, (clientX - box.left) / box.width)) * durationS;
  };
  const stretch = (from: number, to: number): [number, number] => {
    const start = snapped(grid, Math.min(from, to), "bar");
    return [start, Math.max(snapped(grid, Math.max(from, to), "bar"), stepped(grid, start, "bar", 1))];
  };
  const onPointerDown = (event: PointerEvent<HTMLDivElement>) => {
    const from = timeAt(event.clientX);
    followPointer(event, {
      onMove: (pointer) => setDraggedS(stretch(from, timeAt(pointer.clientX))),
      onEnd: (released) => {
        setDraggedS(null);
        if (released) live.loop(stretch(from, timeAt(released.clientX)));
      },
      onClick: () => live.seek(from),
    });
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const bars = { ArrowRight: 1, ArrowLeft: -1, PageUp: 8, PageDown: -8 }[event.key];
    if (!bars) return;
    event.preventDefault();
    event.stopPropagation();
    live.seek(Math.min(durationS, stepped(grid, live.positionS(), "bar", bars)));
  };

  return (
    <chakra.div gridColumn="1 / -1" display="flex" borderBottom="1px solid" borderColor="rule" bg="card">
      <chakra.div width="72px" padding="6px 12px" flexShrink="0">
        <strong>Song</strong>
        <chakra.div textStyle="number" color="quiet" marginTop="6px">
          {formatTime(durationS, 0)}
        </chakra.div>
        <chakra.div textStyle="small" height="14px" whiteSpace="nowrap" title={progressWords(following)}>
          {!current && progress !== null ? `${Math.round(100 * progress)} %` : ""}
          {following.waitsFor ? " waits" : ""}
        </chakra.div>
      </chakra.div>
      <chakra.div position="relative" flex="1" marginRight="12px">
        <chakra.div
          ref={area}
          role="slider"
          tabIndex={0}
          aria-label="Place in the song"
          aria-valuemin={0}
          aria-valuemax={durationS}
          aria-valuenow={transport.positionS}
          aria-valuetext={formatTime(transport.positionS)}
          position="absolute"
          inset="0"
          cursor="text"
          touchAction="none"
          onPointerDown={onPointerDown}
          onDoubleClick={(event) => void live.play(timeAt(event.clientX))}
          onKeyDown={onKeyDown}
        >
          <chakra.canvas ref={still} position="absolute" inset="0" width="100%" height="100%" />
          <chakra.div
            ref={playhead}
            position="absolute"
            left="-5px"
            top="0"
            width="10px"
            height="100%"
            willChange="transform"
            pointerEvents="none"
          >
            <chakra.div position="absolute" left="4.25px" top="0" width="1.5px" height="100%" bg="ink" />
            <chakra.div
              position="absolute"
              left="0"
              top="0"
              borderX="5px solid transparent"
              borderTop="7px solid"
              borderTopColor="ink"
            />
          </chakra.div>
        </chakra.div>
        <Flags pxPerS={widthPx / durationS} />
        <SectionMarks durationS={durationS} widthPx={widthPx} />
      </chakra.div>
    </chakra.div>
  );
}
