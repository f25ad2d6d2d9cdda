import { chakra } from "@chakra-ui/react";
import type { KeyboardEvent } from "react";

import type { Strip } from "../../api/types";
import { useNumberOverTime } from "../../controls/overTime";
import { useDrag } from "../../controls/useDrag";
import { useNudge } from "../../controls/useNudge";

export type PanPosition = { position: number };

type PanGlyphProps = {
  strip: Strip;
  onPreview: (pan: PanPosition) => void;
  onCommit: (pan: PanPosition) => void;
  onCancel: () => void;
};

const WIDTH_PX = 44;

/** Where the strip stands between left and right, draggable. */
export function PanGlyph({ strip, onPreview, onCommit, onCancel }: PanGlyphProps) {
  const at = (position: number): PanPosition => ({
    position: Math.round(100 * Math.min(1, Math.max(-1, position))) / 100,
  });
  const address = `strips/${strip.id}/pan/position`;
  const overTime = useNumberOverTime({
    address,
    value: strip.pan.position,
    minimum: -1,
    maximum: 1,
    onPreview: (position) => onPreview(at(position ?? 0)),
    onCommit: (position) => onCommit(at(position ?? 0)),
    onCancel,
  });
  const { nudged, nudge, settle } = useNudge({
    value: overTime.shown ?? 0,
    onPreview: overTime.onPreview,
    onCommit: overTime.onCommit,
  });
  const drag = useDrag({
    value: nudged,
    moved: (start, dx, _dy, fine) => start + dx / (fine ? 200 : 30),
    onPreview: (position) => overTime.onPreview(at(position).position),
    onCommit: (position) => overTime.onCommit(at(position).position),
    onCancel: overTime.onCancel,
  });
  const position = drag.dragged === null ? nudged : at(drag.dragged).position;
  const onKeyDown = (event: KeyboardEvent) => {
    const steps = { ArrowRight: 1, ArrowLeft: -1, PageUp: 10, PageDown: -10 }[event.key];
    if (!steps) return;
    event.preventDefault();
    event.stopPropagation();
    nudge((from) => at(from + steps * (event.shiftKey ? 0.01 : 0.05)).position);
  };
  const share = Math.round(100 * Math.abs(position));
  const words = share === 0 ? "centre" : `${share} % ${position < 0 ? "left" : "right"}`;
  return (
    <chakra.div
      role="slider"
      tabIndex={0}
      aria-label={`${strip.name}: pan`}
      data-address={address}
      aria-valuemin={-100}
      aria-valuemax={100}
      aria-valuenow={Math.round(100 * position)}
      aria-valuetext={words}
      title={`Pan: ${words}`}
      position="relative"
      width={`${WIDTH_PX}px`}
      height="target"
      margin="0 auto"
      cursor="ew-resize"
      touchAction="none"
      onPointerDown={drag.onPointerDown}
      onDoubleClick={() => overTime.onTyped(0)}
      onKeyDown={onKeyDown}
      onBlur={settle}
    >
      <chakra.div position="absolute" top="14px" left="0" right="0" height="1px" bg="rule" />
      <chakra.div position="absolute" top="11px" left="50%" width="1px" height="7px" bg="edge" />
      <chakra.div
        position="absolute"
        top="8px"
        outline={overTime.isMoving ? "2px solid" : "none"}
        outlineColor="focus"
        width="8px"
        height="8px"
        borderRadius="1px"
        style={{ left: `calc(${50 * (position + 1)}% - 4px)`, background: strip.color }}
      />
    </chakra.div>
  );
}
