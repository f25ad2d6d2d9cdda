import { chakra } from "@chakra-ui/react";
import { useRef, useState, type KeyboardEvent, type WheelEvent } from "react";

import { parseNumber } from "../lib/format";
import { LedMark } from "./LedMark";
import { useNumberOverTime, type Value } from "./overTime";
import { useDrag } from "./useDrag";
import { useNudge } from "./useNudge";

export type ValueFieldProps = {
  label: string;
  /** Of the parameter, so that it can be drawn over the song. */
  address?: string;
  value: number | null;
  minimum: number;
  maximum: number;
  fallback: number | null;
  unit?: string;
  /** How much a pixel or an arrow key moves it; a share of the value on logarithmic scales. */
  step: number;
  logarithmic?: boolean;
  /** Whether it may be left out: silent, endless. */
  nullAt?: "bottom" | "top";
  format: (value: number | null) => string;
  onPreview: (value: number | null) => void;
  onCommit: (value: number | null) => void;
  onCancel: () => void;
  color?: string;
  width?: string;
  align?: "left" | "right";
  emphasis?: boolean;
};

/** A number that can be dragged, wheeled with Ctrl, stepped with arrow keys, or typed with or without its unit. */
export function ValueField(props: ValueFieldProps) {
  const { label, address, minimum, maximum, fallback, step, logarithmic, nullAt, format } = props;
  const overTime = useNumberOverTime(props);
  const isMoved = overTime.isMoving;
  const [typed, setTyped] = useState<string | null>(null);
  const done = useRef(false);
  const byKey = useRef(false);
  const asItWas = useRef(false);
  const takeFocusBack = (field: HTMLElement | null) => {
    if (field && byKey.current) field.focus();
    if (field) byKey.current = false;
  };
  const asNumber = (given: number | null) => given ?? (nullAt === "top" ? maximum : minimum);

  const toValue = (wanted: number): number | null => {
    if (nullAt === "bottom" && wanted < minimum) return null;
    if (nullAt === "top" && wanted > maximum) return null;
    const clamped = Math.min(maximum, Math.max(minimum, wanted));
    const grain = logarithmic
      ? 10 ** Math.floor(Math.log10(Math.max(Math.abs(clamped), 1e-3)) - 2)
      : step / 10;
    return Number((Math.round(clamped / grain) * grain).toPrecision(10));
  };
  const stepped = (from: number, steps: number, fine: boolean): number => {
    const size = fine ? step / 10 : step;
    if (!logarithmic) return from + steps * size;
    const away = Math.max(from, minimum > 0 ? minimum : 0.1);
    const next = away * (1 + size) ** steps;
    return minimum === 0 && next < 0.1 ? 0 : next;
  };

  const shareOf = (given: Value) => {
    const number = typeof given === "boolean" ? Number(given) : asNumber(given);
    const inOctaves = logarithmic && minimum > 0;
    const on = (plain: number) => (inOctaves ? Math.log(plain) : plain);
    return Math.min(1, Math.max(0, (on(number) - on(minimum)) / (on(maximum) - on(minimum))));
  };

  const { nudged, nudge, settle } = useNudge({
    value: overTime.shown,
    onPreview: overTime.onPreview,
    onCommit: overTime.onCommit,
  });
  const drag = useDrag({
    value: asNumber(nudged),
    moved: (start, dx, dy, fine) => stepped(start, (dx - dy) / (logarithmic ? 1 : 4), fine),
    onPreview: (wanted) => overTime.onPreview(toValue(wanted)),
    onCommit: (wanted) => overTime.onCommit(toValue(wanted)),
    onCancel: overTime.onCancel,
  });
  const shown = drag.dragged === null ? nudged : toValue(drag.dragged);

  const nudgeBy = (steps: number, fine: boolean) =>
    nudge((from) => toValue(stepped(asNumber(from), steps, fine)));
  const onKeyDown = (event: KeyboardEvent) => {
    const steps = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 10, PageDown: -10 }[
      event.key
    ];
    if (steps) {
      event.preventDefault();
      event.stopPropagation();
      nudgeBy(steps, event.shiftKey);
    } else if (event.key === "Enter" || /^[-−0-9.]$/.test(event.key)) {
      event.preventDefault();
      event.stopPropagation();
      done.current = false;
      settle();
      asItWas.current = event.key === "Enter";
      setTyped(asItWas.current ? format(nudged) : event.key);
    }
  };
  const onWheel = (event: WheelEvent) => {
    if (event.ctrlKey || event.altKey) nudgeBy(event.deltaY < 0 ? 1 : -1, event.shiftKey);
  };
  const finish = (keep: boolean) => {
    if (done.current) return;
    done.current = true;
    const wanted = typed === null ? null : parseNumber(typed);
    setTyped(null);
    if (!keep || wanted === null) return;
    if (Number.isFinite(wanted)) overTime.onTyped(toValue(wanted));
    else if (nullAt) overTime.onTyped(null);
  };

  if (typed !== null) {
    return (
      <chakra.input
        aria-label={label}
        autoFocus
        onFocus={(event) => asItWas.current && event.target.select()}
        value={typed}
        textStyle="number"
        width={props.width ?? "46px"}
        height="20px"
        bg="card"
        border="1px solid"
        borderColor="focus"
        borderRadius="small"
        textAlign="right"
        onChange={(event) => setTyped(event.target.value)}
        onBlur={() => finish(true)}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key !== "Enter" && event.key !== "Escape") return;
          event.preventDefault();
          byKey.current = true;
          finish(event.key === "Enter");
        }}
      />
    );
  }
  return (
    <chakra.span
      ref={takeFocusBack}
      role="spinbutton"
      tabIndex={0}
      aria-label={label}
      aria-valuenow={shown ?? (nullAt === "top" ? maximum : minimum)}
      aria-valuemin={minimum}
      aria-valuemax={maximum}
      aria-valuetext={`${format(shown)} ${props.unit ?? ""}`.trim()}
      title={`${label}${isMoved ? ", moves over the song" : ""}: drag, arrow keys, or type; double-click for ${format(fallback)}`}
      textStyle="number"
      fontWeight={props.emphasis ? "700" : "400"}
      color={isMoved ? "focus" : (props.color ?? "ink")}
      fontStyle={isMoved ? "italic" : "normal"}
      data-address={address}
      display="inline-block"
      position="relative"
      minWidth={props.width}
      textAlign={props.align ?? "right"}
      borderBottom="1px solid"
      borderColor="transparent"
      _hover={{ borderColor: "edge" }}
      cursor="ew-resize"
      userSelect="none"
      touchAction="none"
      onPointerDown={drag.onPointerDown}
      onDoubleClick={() => overTime.onTyped(fallback)}
      onKeyDown={onKeyDown}
      onWheel={onWheel}
      onBlur={settle}
    >
      {format(shown)}
      <LedMark address={address} on="number" shareOf={shareOf} />
      {isMoved && (
        <chakra.span aria-hidden position="absolute" fontWeight="700">
          ∿
        </chakra.span>
      )}
    </chakra.span>
  );
}
