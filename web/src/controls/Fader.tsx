import { chakra } from "@chakra-ui/react";
import type { KeyboardEvent } from "react";

import { limitsOf } from "../api/parameters";
import { faderLevel, faderShare, LOWEST_DB } from "../lib/faderScale";
import { formatDb } from "../lib/format";
import { LedMark } from "./LedMark";
import { useNumberOverTime, useTravel, type Value } from "./overTime";
import { useDrag } from "./useDrag";
import { useNudge } from "./useNudge";

type FaderProps = {
  label: string;
  address?: string;
  value: number | null;
  onPreview: (levelDb: number | null) => void;
  onCommit: (levelDb: number | null) => void;
  onCancel: () => void;
  widthPx: number;
  focused: boolean;
};

function shareOf(level: Value): number {
  return faderShare(typeof level === "boolean" ? 0 : level);
}

const HIGHEST_DB = limitsOf("strip", "fader_db").maximum;

/** A horizontal fader: a block on a line, 0 dB in the same place on every row. */
export function Fader({
  label,
  address,
  value,
  onPreview,
  onCommit,
  onCancel,
  widthPx,
  focused,
}: FaderProps) {
  const overTime = useNumberOverTime({
    address,
    value,
    minimum: LOWEST_DB,
    maximum: HIGHEST_DB,
    onPreview,
    onCommit,
    onCancel,
  });
  const travel = useTravel(address);
  const { nudged, nudge, settle } = useNudge({
    value: overTime.shown,
    onPreview: overTime.onPreview,
    onCommit: overTime.onCommit,
  });
  const drag = useDrag({
    value: faderShare(nudged),
    moved: (start, dx, _dy, fine) => Math.min(1, Math.max(0, start + dx / (fine ? widthPx * 8 : widthPx))),
    onPreview: (share) => overTime.onPreview(faderLevel(share)),
    onCommit: (share) => overTime.onCommit(faderLevel(share)),
    onCancel: overTime.onCancel,
  });
  const share = drag.dragged ?? faderShare(nudged);
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
  const zero = faderShare(0);
  return (
    <chakra.div
      role="slider"
      tabIndex={0}
      aria-label={label}
      data-address={address}
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
      onDoubleClick={() => overTime.onTyped(0)}
      onKeyDown={onKeyDown}
      onBlur={settle}
    >
      <chakra.div position="absolute" top="11px" left="0" right="0" height="2px" bg="rule" />
      {travel && (
        <chakra.div
          position="absolute"
          top="7px"
          height="10px"
          bg="focus"
          opacity="0.25"
          style={{
            left: `${100 * shareOf(travel.low)}%`,
            width: `${100 * (shareOf(travel.high) - shareOf(travel.low))}%`,
          }}
        />
      )}
      <LedMark address={address} on="track" shareOf={shareOf} />
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
        bg={focused || travel ? "focus" : "ink"}
        style={{ left: `calc(${100 * share}% - 3px)` }}
      />
    </chakra.div>
  );
}
