import type { PointerEvent as ReactPointerEvent } from "react";

const STARTS_AT_PX = 3;

type Following = {
  /** The pointer has moved by so much since it went down; called once a frame at most. */
  onMove: (pointer: PointerEvent, dxPx: number, dyPx: number) => void;
  /** It was let go; null if that was to be forgotten: by Escape, or because the pointer was taken away. */
  onEnd: (pointer: PointerEvent | null) => void;
  /** It was let go where it went down. */
  onClick?: () => void;
};

/** Follow the pointer from where it went down until it is let go. */
export function followPointer(event: ReactPointerEvent<HTMLElement>, following: Following): void {
  if (event.button !== 0) return;
  const { clientX, clientY, pointerId } = event;
  const target = event.currentTarget;
  let latest: PointerEvent | null = null;
  let frame = 0;
  const show = () => {
    frame = 0;
    if (latest) following.onMove(latest, latest.clientX - clientX, latest.clientY - clientY);
  };
  const move = (moving: PointerEvent) => {
    if (moving.pointerId !== pointerId) return;
    const far = Math.abs(moving.clientX - clientX) + Math.abs(moving.clientY - clientY) >= STARTS_AT_PX;
    if (!latest && !far) return;
    if (!latest) target.setPointerCapture(pointerId);
    latest = moving;
    frame ||= requestAnimationFrame(show);
  };
  const end = (released: PointerEvent | null) => {
    window.removeEventListener("pointermove", move);
    window.removeEventListener("pointerup", up);
    window.removeEventListener("pointercancel", cancel);
    window.removeEventListener("keydown", key, true);
    if (frame) {
      cancelAnimationFrame(frame);
      if (released) show();
    }
    if (latest) following.onEnd(released);
    else if (released) following.onClick?.();
  };
  const up = (released: PointerEvent) => {
    if (released.pointerId === pointerId) end(released);
  };
  const cancel = (cancelled: PointerEvent) => {
    if (cancelled.pointerId === pointerId) end(null);
  };
  const key = (pressed: KeyboardEvent) => {
    if (pressed.key !== "Escape") return;
    pressed.stopPropagation();
    end(null);
  };
  // Before it has travelled the pointer may leave what it went down on: only the window hears of all its moves.
  window.addEventListener("pointermove", move);
  window.addEventListener("pointerup", up);
  window.addEventListener("pointercancel", cancel);
  window.addEventListener("keydown", key, true);
}
