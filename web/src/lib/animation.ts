import { useEffect, useRef, type RefObject } from "react";

type Step = () => void;
/** What glides moves in every frame; what is read or only wanders moves less often, all of it in the same frames. */
export type Pace = "gliding" | "wandering";

const WANDERING_EVERY_FRAMES = 3;
const SPARING_MS = 15000;
const RESTS_AFTER_MS = 1500;

const steps = new Map<Step, Pace>();
let frame = 0;
let framesSeen = 0;
let sparingUntil = 0;
let restsAt = 0;

function run(now: number) {
  frame = now < restsAt ? requestAnimationFrame(run) : 0;
  framesSeen += 1;
  const all = frame === 0 || framesSeen % WANDERING_EVERY_FRAMES === 0;
  steps.forEach((pace, step) => {
    if (all || (pace === "gliding" && now >= sparingUntil)) step();
  });
}

/** Something sounds or is done: draw for a while. Where nothing moves nothing is drawn, and the machine may rest. */
export function wake(): void {
  restsAt = performance.now() + RESTS_AFTER_MS;
  if (steps.size > 0) frame ||= requestAnimationFrame(run);
}
for (const kind of ["pointermove", "pointerdown", "wheel", "keydown", "resize"])
  window.addEventListener(kind, wake, { capture: true, passive: true });

/** Sound comes before pictures: for a while, draw no more often than needed. */
export function spareDrawing(): void {
  sparingUntil = performance.now() + SPARING_MS;
}

/** Run a step in animation frames while the page is awake, all of the page's in one callback; what is returned ends it. */
export function onEachFrame(step: Step, pace: Pace): () => void {
  steps.set(step, pace);
  wake();
  return () => {
    steps.delete(step);
  };
}

/** Run the latest step in animation frames while the component is there. */
export function useEachFrame(step: Step, pace: Pace): void {
  const latest = useRef(step);
  useEffect(() => {
    latest.current = step;
    wake();
  });
  useEffect(() => onEachFrame(() => latest.current(), pace), [pace]);
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
  }, "wandering");
  return element;
}
