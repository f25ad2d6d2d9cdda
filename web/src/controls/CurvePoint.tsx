import { chakra } from "@chakra-ui/react";
import type { KeyboardEvent, PointerEvent } from "react";

type CurvePointProps = {
  label: string;
  leftPx: number;
  topPx: number;
  /** Whether the pointer draws over it. */
  idle: boolean;
  onPointerDown: (event: PointerEvent<HTMLElement>) => void;
  onKeyDown: (event: KeyboardEvent<HTMLElement>) => void;
};

/** A point of a curve. */
export function CurvePoint({ label, leftPx, topPx, idle, onPointerDown, onKeyDown }: CurvePointProps) {
  return (
    <chakra.button
      type="button"
      aria-label={label}
      title={`${label}. Drag or arrow keys; Enter types, [ and ] bend, Delete takes it away`}
      position="absolute"
      width="target"
      height="target"
      display="grid"
      placeItems="center"
      cursor="move"
      touchAction="none"
      style={{ left: `${leftPx - 12}px`, top: `${topPx - 12}px`, pointerEvents: idle ? "none" : "auto" }}
      onPointerDown={onPointerDown}
      onDoubleClick={(event) => event.stopPropagation()}
      onKeyDown={onKeyDown}
    >
      <chakra.span width="8px" height="8px" bg="card" border="1.5px solid" borderColor="focus" />
    </chakra.button>
  );
}
