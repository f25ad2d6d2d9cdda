import { chakra } from "@chakra-ui/react";
import { useCallback, useState, type KeyboardEvent, type PointerEvent } from "react";

import { useWaveform } from "../../api/queries";
import type { Clip, Media, Strip } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import type { Colors } from "../../canvas/colors";
import { useCanvas } from "../../canvas/useCanvas";
import { useNudge } from "../../controls/useNudge";
import { snapped, stepped } from "../../lib/beatGrid";
import { followPointer } from "../../controls/followPointer";
import { formatTime } from "../../lib/format";

const BINS_PER_S = 20;
const HANDLE_PX = 6;
const SHORTEST_S = 0.01;

export type ClipPlace = { strip: string; clip: number };

type ClipBoxProps = {
  strip: Strip;
  clip: Clip;
  index: number;
  media: Media | undefined;
  durationS: number;
  widthPx: number;
  chosen: boolean;
  onChoose: () => void;
};

type Moved = Partial<Clip>;

/** How long a clip sounds. */
export function clipLengthS(clip: Clip, media: Media | undefined): number {
  const there = Math.max(0, (media?.duration_s ?? 0) - clip.offset_s);
  const lengthS = clip.length_s ?? null;
  return lengthS === null ? there : Math.min(lengthS, there || lengthS);
}

/** A stretch of a file on the time line: drag it to move, its ends to trim, its corners to fade; Alt is off the grid. */
export function ClipBox({ strip, clip, index, media, durationS, widthPx, chosen, onChoose }: ClipBoxProps) {
  const { state, live, edit, grid } = useOpen();
  const [moved, setMoved] = useState<Moved | null>(null);
  const { data: peaks } = useWaveform(state.id, clip.media);
  const keptS = clipLengthS(clip, media);
  const pxPerS = widthPx / durationS;
  const action = (values: Moved) => ({
    type: "set-clips" as const,
    changes: [{ strip: strip.id, clip: index, ...values }],
  });
  const { nudged: startS, nudge } = useNudge({
    value: clip.start_s,
    onPreview: (start_s) => live.preview(action({ start_s })),
    onCommit: (start_s) => void edit(action({ start_s })),
  });
  const shown = { ...clip, start_s: startS, ...moved };
  const lengthS = clipLengthS(shown, media);

  const { ref } = useCanvas(
    useCallback(
      (context: CanvasRenderingContext2D, width: number, height: number, colors: Colors) => {
        context.fillStyle = colors.quiet;
        const bins = peaks?.length ?? 0;
        for (let x = 0; bins && x < width; x += 1) {
          const atS = (x / width) * lengthS;
          const inFileS = shown.offset_s + (shown.reversed ? lengthS - atS : atS);
          const peak = peaks?.[Math.min(bins - 1, Math.floor(inFileS * BINS_PER_S))] ?? 0;
          const fade = Math.min(
            1,
            shown.fade_in_s ? atS / shown.fade_in_s : 1,
            shown.fade_out_s ? (lengthS - atS) / shown.fade_out_s : 1,
          );
          const high = Math.max(1, (peak * Math.max(0, fade)) ** 0.6 * height);
          context.fillRect(x, height - high, 1, high);
        }
        context.strokeStyle = colors.ink;
        context.beginPath();
        if (shown.fade_in_s) {
          context.moveTo(0, height);
          context.lineTo((shown.fade_in_s / lengthS) * width, 0);
        }
        if (shown.fade_out_s) {
          context.moveTo(width - (shown.fade_out_s / lengthS) * width, 0);
          context.lineTo(width, height);
        }
        context.stroke();
      },
      [peaks, lengthS, shown.offset_s, shown.reversed, shown.fade_in_s, shown.fade_out_s],
    ),
    false,
  );

  /** Follow the pointer; what it makes of the clip is heard at once and kept on release. */
  const drag = (change: (byS: number, free: boolean) => Moved) => (event: PointerEvent<HTMLElement>) => {
    if (event.button !== 0) return;
    event.stopPropagation();
    onChoose();
    let latest: Moved = {};
    followPointer(event, {
      onMove: (pointer, dxPx) => {
        latest = change(dxPx / pxPerS, pointer.altKey);
        setMoved(latest);
        live.preview(action(latest));
      },
      onEnd: (released) => {
        if (released) void edit(action(latest)).then(() => setMoved(null));
        else {
          setMoved(null);
          live.revert();
        }
      },
    });
  };

  const trimStart = (byS: number, free: boolean): Moved => {
    const start = snapped(grid, clip.start_s + byS, free ? "free" : "beat");
    const by = Math.min(
      Math.max(start - clip.start_s, -clip.start_s, clip.reversed ? -Infinity : -clip.offset_s),
      keptS - SHORTEST_S,
    );
    const shorter = { start_s: clip.start_s + by, length_s: keptS - by };
    return clip.reversed ? shorter : { ...shorter, offset_s: clip.offset_s + by };
  };
  const trimEnd = (byS: number, free: boolean): Moved => {
    const end = snapped(grid, clip.start_s + keptS + byS, free ? "free" : "beat");
    const most = Math.max(SHORTEST_S, (media?.duration_s ?? keptS) - clip.offset_s);
    return { length_s: Math.min(most, Math.max(SHORTEST_S, end - clip.start_s)) };
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const steps = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (!steps) return;
    event.preventDefault();
    event.stopPropagation();
    nudge((from) => (event.altKey ? Math.max(0, from + 0.01 * steps) : stepped(grid, from, "beat", steps)));
  };
  const name = `${strip.name}: clip ${index + 1}`;
  return (
    <chakra.div
      role="button"
      tabIndex={0}
      aria-label={name}
      aria-pressed={chosen}
      title={`${name}, ${formatTime(shown.start_s)} to ${formatTime(shown.start_s + lengthS)}`}
      position="absolute"
      top="2px"
      bottom="2px"
      border="1px solid"
      borderColor={chosen ? "focus" : "edge"}
      bg={chosen ? "wash" : "card"}
      borderRadius="small"
      overflow="hidden"
      cursor="grab"
      touchAction="none"
      style={{
        left: `${shown.start_s * pxPerS}px`,
        width: `${Math.max(3, lengthS * pxPerS)}px`,
        borderLeft: `3px solid ${strip.color}`,
      }}
      onPointerDown={drag((byS, free) => ({
        start_s: snapped(grid, clip.start_s + byS, free ? "free" : "beat"),
      }))}
      onClick={(event) => {
        event.stopPropagation();
        onChoose();
      }}
      onFocus={onChoose}
      onKeyDown={onKeyDown}
    >
      <chakra.canvas ref={ref} position="absolute" inset="0" width="100%" height="100%" opacity="0.6" />
      <Handle side="left" cursor="w-resize" onPointerDown={drag(trimStart)} />
      <Handle side="right" cursor="e-resize" onPointerDown={drag(trimEnd)} />
      <Handle
        side="left"
        corner
        cursor="ne-resize"
        at={(shown.fade_in_s ?? 0) * pxPerS}
        onPointerDown={drag((byS) => ({
          fade_in_s: Math.min(keptS, Math.max(0, (clip.fade_in_s ?? 0) + byS)),
        }))}
      />
      <Handle
        side="right"
        corner
        cursor="nw-resize"
        at={(shown.fade_out_s ?? 0) * pxPerS}
        onPointerDown={drag((byS) => ({
          fade_out_s: Math.min(keptS, Math.max(0, (clip.fade_out_s ?? 0) - byS)),
        }))}
      />
      {shown.reversed && (
        <chakra.span position="absolute" right="10px" top="0" fontSize="small" color="quiet">
          reversed
        </chakra.span>
      )}
    </chakra.div>
  );
}

type HandleProps = {
  side: "left" | "right";
  cursor: string;
  corner?: boolean;
  at?: number;
  onPointerDown: (event: PointerEvent<HTMLElement>) => void;
};

function Handle({ side, cursor, corner, at = 0, onPointerDown }: HandleProps) {
  return (
    <chakra.span
      position="absolute"
      top="0"
      width={`${corner ? HANDLE_PX + 3 : HANDLE_PX}px`}
      height={corner ? "9px" : "100%"}
      bg={corner ? "edge" : "transparent"}
      opacity={corner ? 0.7 : 1}
      borderRadius={corner ? "0 0 3px 3px" : "0"}
      cursor={cursor}
      style={{ [side]: `${corner ? at + HANDLE_PX : 0}px` }}
      onPointerDown={onPointerDown}
    />
  );
}
