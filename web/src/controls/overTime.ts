import { createContext, useContext, useEffect, useRef, useState } from "react";

export type Value = number | boolean | null;

/** A parameter that moves over the song: what it is now, between which values it moves, and both as people read it. */
export type MovingCurve = { now: () => Value; low: Value; high: Value; label: string; range: string };

/** A parameter that followers lead: between which values, and where it is; undefined while nothing sounds. */
export type LedControl = { now: () => Value | undefined; low: Value; high: Value };

/** What controls ask of those who know the song's time. */
export type OverTime = {
  /** By address, those that move. */
  curves: ReadonlyMap<string, MovingCurve>;
  /** By address, what followers lead. */
  led: ReadonlyMap<string, LedControl>;
  /** A control is moved: true if that is recorded, and no edit of its own. */
  touch: (address: string, value: Value) => boolean;
  /** It is let go of: true if that was recorded. */
  letGo: (address: string) => boolean;
  /** A value is given to what moves: someone has to say what is meant. */
  ask: (address: string, value: Value) => void;
};

export const OverTimeContext = createContext<OverTime>({
  curves: new Map(),
  led: new Map(),
  touch: () => false,
  letGo: () => false,
  ask: () => undefined,
});

const SHOW_EVERY_MS = 100;

/** What a parameter that moves is at this moment; undefined if it rests. */
export function useValueNow(address: string | undefined): Value | undefined {
  const { curves } = useContext(OverTimeContext);
  const curve = address === undefined ? undefined : curves.get(address);
  const [value, setValue] = useState<Value>(null);
  useEffect(() => {
    if (!curve) return;
    const read = () => setValue(curve.now());
    read();
    const timer = setInterval(read, SHOW_EVERY_MS);
    return () => clearInterval(timer);
  }, [curve]);
  return curve ? value : undefined;
}

/** Between which shares of its travel a control moves; null if it rests. */
export function useTravel(address: string | undefined): { low: Value; high: Value } | null {
  const { curves } = useContext(OverTimeContext);
  return (address !== undefined && curves.get(address)) || null;
}

type NumberControl = {
  address?: string;
  value: number | null;
  minimum: number;
  maximum: number;
  logarithmic?: boolean;
  onPreview: (value: number | null) => void;
  onCommit: (value: number | null) => void;
  onCancel: () => void;
};

/**
 * A number that may move over the song. It is shown as it is now; who drags it shifts all of its curve, or records; who
 * types is asked which is meant.
 */
export function useNumberOverTime(control: NumberControl) {
  const { touch, letGo, ask } = useContext(OverTimeContext);
  const { address, value, minimum, maximum, logarithmic } = control;
  const now = useValueNow(address);
  const isMoving = now !== undefined;
  const shown = typeof now === "number" || now === null ? now : value;
  const from = useRef<{ shown: number | null; value: number | null } | null>(null);
  /** The value to set so that the curve passes through what is wanted. */
  const underneath = (wanted: number | null): number | null => {
    const start = from.current;
    if (!isMoving || !start || wanted === null || start.shown === null || start.value === null) return wanted;
    const next =
      logarithmic && start.shown > 0 && wanted > 0
        ? start.value * (wanted / start.shown)
        : start.value + wanted - start.shown;
    return Math.min(maximum, Math.max(minimum, Number(next.toPrecision(12))));
  };
  return {
    shown,
    isMoving,
    onPreview: (wanted: number | null) => {
      from.current ??= { shown, value };
      if (address !== undefined && touch(address, wanted)) return;
      control.onPreview(underneath(wanted));
    },
    onCommit: (wanted: number | null) => {
      from.current ??= { shown, value };
      const next = underneath(wanted);
      from.current = null;
      if (address !== undefined && letGo(address)) return;
      control.onCommit(next);
    },
    onCancel: () => {
      from.current = null;
      if (address !== undefined) letGo(address);
      control.onCancel();
    },
    onTyped: (wanted: number | null) => {
      if (isMoving && address !== undefined) ask(address, wanted);
      else control.onCommit(wanted);
    },
  };
}

/** A switch that may move over the song: shown as it is now; switched, that is recorded or becomes a point. */
export function useSwitchOverTime(address: string | undefined, on: boolean, onToggle: () => void) {
  const { touch, ask } = useContext(OverTimeContext);
  const now = useValueNow(address);
  const shown = typeof now === "boolean" ? now : on;
  return {
    on: shown,
    isMoving: now !== undefined,
    onToggle: () => {
      if (address !== undefined && touch(address, !shown)) return;
      if (address !== undefined && now !== undefined) ask(address, !shown);
      else onToggle();
    },
  };
}
