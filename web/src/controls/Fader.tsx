import { chakra } from "@chakra-ui/react";
import type { KeyboardEvent } from "react";

import { limitsOf } from "../api/parameters";
import { formatDb } from "../lib/format";
import { useDrag } from "./useDrag";
import { useNudge } from "./useNudge";

const FADER_LOW_DB = -18;
/** Where the visible scale ends; keys and typing go on to the level's own end. */
const FADER_HIGH_DB = 12;

type FaderProps = {
  label: string;
  value: number | null;
  onPreview: (levelDb: number | null) => void;
  onCommit: (levelDb: number | null) => void;
  onCancel: () => void;
  widthPx: number;
  focused: boolean;
};

/** Where the fader's travel ends; below lies silence. */
const LOWEST_DB = -60;
const HIGHEST_DB = limitsOf("strip", "fader_db").maximum;

/** Below the visible scale the fader runs faster, down to silence. */
function toShare(levelDb: number | null): number {
  if (levelDb === null) return 0;
  if (levelDb >= FADER_LOW_DB)
    return Math.min(1, 0.15 + (0.85 * (levelDb - FADER_LOW_DB)) / (FADER_HIGH_DB - FADER_LOW_DB));
  return (0.15 * (Math.max(levelDb, LOWEST_DB) - LOWEST_DB)) / (FADER_LOW_DB - LOWEST_DB);
}

function toLevel(share: number): number | null {
  if (share <= 0.002) return null;
  const level =
    share >= 0.15
      ? FADER_LOW_DB + ((share - 0.15) / 0.85) * (FADER_HIGH_DB - FADER_LOW_DB)
      : LOWEST_DB + (share / 0.15) * (FADER_LOW_DB - LOWEST_DB);
  return Math.round(Math.min(FADER_HIGH_DB, level) * 10) / 10;
}

/** Place of a level on a fader, 0 to 1. */
export const faderShare = toShare;

/** A horizontal fader: a block on a line, 0 dB in the same place on every row. */
export function Fader({ label, value, onPreview, onCommit, onCancel, widthPx, focused }: FaderProps) {
  const { nudged, nudge, settle } = useNudge({ value, onPreview, onCommit });
  const drag = useDrag({
    value: toShare(nudged),
    moved: (start, dx, _dy, fine) => Math.min(1, Math.max(0, start + dx / (fine ? widthPx * 8 : widthPx))),
    onPreview: (share) => onPreview(toLevel(share)),
    onCommit: (share) => onCommit(toLevel(share)),
    onCancel,
  });
  const share = drag.dragged ?? toShare(nudged);
  const onKeyDown = (event: KeyboardEvent) => {
    const steps = { ArrowRight: 1, ArrowLeft: -1, PageUp: 6, PageDown: -6 }[event.key];
    if (!steps) return;
    event.preventDefault();
    event.stopPropagation();
    nudge((from) => {
      const next = (from ?? LOWEST_DB) + steps * (event.shiftKey ? 0.1 : 0.5);
      return next < LOWEST_DB ? null : Math.round(Math.min(HIGHEST_DB, next) * 10) / 10;
    });
  };
  const zero = toShare(0);
  return (
    <chakra.div
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuemin={LOWEST_DB}
      aria-valuemax={HIGHEST_DB}
      aria-valuenow={nudged ?? LOWEST_DB}
      aria-valuetext={`${formatDb(nudged)} dB`}
      position="relative"
      width={`${widthPx}px`}
      height="target"
      cursor="ew-resize"
      touchAction="none"
      onPointerDown={drag.onPointerDown}
      onDoubleClick={() => onCommit(0)}
      onKeyDown={onKeyDown}
      onBlur={settle}
    >
      <chakra.div position="absolute" top="11px" left="0" right="0" height="2px" bg="rule" />
      <chakra.div
        position="absolute"
        top="11px"
        height="2px"
        bg={focused ? "focus" : "quiet"}
        style={{ left: `${100 * Math.min(zero, share)}%`, width: `${100 * Math.abs(zero - share)}%` }}
      />
      <chakra.div
        position="absolute"
        top="5px"
        width="6px"
        height="14px"
        borderRadius="1px"
        bg={focused ? "focus" : "ink"}
        style={{ left: `calc(${100 * share}% - 3px)` }}
      />
    </chakra.div>
  );
}
