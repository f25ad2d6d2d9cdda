import { useCallback, useEffect, useRef, useState } from "react";

const SETTLE_MS = 350;
const ANSWER_MS = 2000;

/** What was nudged and is not kept yet, by whoever did it. */
const unsettled = new Set<() => void>();

/** Keep everything that was nudged now: before another edit is made, or the page goes away. */
export function settleNudges(): void {
  [...unsettled].forEach((settle) => settle());
}

type Nudge<T> = {
  value: T;
  onPreview: (value: T) => void;
  onCommit: (value: T) => void;
};

/**
 * Keys and wheel: each step goes on from the one before, is heard at once, and a run of them is one edit.
 *
 * `nudged` is what is to be shown: the value, or where the steps have brought it.
 */
export function useNudge<T>({ value, onPreview, onCommit }: Nudge<T>) {
  const [pending, setPending] = useState<{ value: T } | null>(null);
  const current = useRef<{ value: T } | null>(null);
  const timer = useRef(0);
  const handlers = useRef({ onPreview, onCommit });
  useEffect(() => {
    handlers.current = { onPreview, onCommit };
  });

  const show = useCallback((next: { value: T } | null) => {
    current.current = next;
    setPending(next);
  }, []);
  const settle = useRef(() => {
    window.clearTimeout(timer.current);
    if (!unsettled.delete(settle.current) || !current.current) return;
    handlers.current.onCommit(current.current.value);
    // The session answers with the value; should it refuse, the old one is shown again.
    timer.current = window.setTimeout(() => show(null), ANSWER_MS);
  });
  // What was asked for has come, or something else has.
  useEffect(() => {
    if (!unsettled.has(settle.current)) show(null);
  }, [value, show]);
  useEffect(() => {
    const last = settle.current;
    return () => last();
  }, []);

  const nudge = (step: (from: T) => T) => {
    const next = { value: step(current.current ? current.current.value : value) };
    show(next);
    handlers.current.onPreview(next.value);
    window.clearTimeout(timer.current);
    unsettled.add(settle.current);
    timer.current = window.setTimeout(settle.current, SETTLE_MS);
  };
  return { nudged: pending ? pending.value : value, nudge, settle: () => settle.current() };
}
