import { useEffect, useRef, type RefObject } from "react";

type Step = () => void;

const steps = new Set<Step>();
let frame = 0;

function run() {
  frame = requestAnimationFrame(run);
  steps.forEach((step) => step());
}

/** Run a step every animation frame, all of the page's in one callback; what is returned ends it. */
export function onEachFrame(step: Step): () => void {
  if (steps.size === 0) frame = requestAnimationFrame(run);
  steps.add(step);
  return () => {
    steps.delete(step);
    if (steps.size === 0) cancelAnimationFrame(frame);
  };
}

/** Run the latest step every animation frame while the component is there. */
export function useEachFrame(step: Step): void {
  const latest = useRef(step);
  useEffect(() => {
    latest.current = step;
  });
  useEffect(() => onEachFrame(() => latest.current()), []);
}

/**
 * Slide an element sideways along its parent. It is moved by whole pixels of the screen and only when that makes a
 * difference: each time, the page is put together anew.
 */
export function useSliding(placePx: () => number): RefObject<HTMLDivElement | null> {
  const element = useRef<HTMLDivElement>(null);
  const shown = useRef("");
  useEachFrame(() => {
    const ratio = window.devicePixelRatio || 1;
    const transform = `translateX(${Math.round(placePx() * ratio) / ratio}px)`;
    if (!element.current || shown.current === transform) return;
    shown.current = transform;
    element.current.style.transform = transform;
  });
  return element;
}
