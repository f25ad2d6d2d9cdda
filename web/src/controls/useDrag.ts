import { useEffect, useRef, useState, type PointerEvent as ReactPointerEvent } from "react";

type Options = {
  value: number;
  /** The value after moving by so many pixels from where the drag began. */
  moved: (start: number, dxPx: number, dyPx: number, fine: boolean) => number;
  onPreview: (value: number) => void;
  onCommit: (value: number) => void;
  onCancel: () => void;
};

/** A drag that previews at most once a frame, is one edit on release, and is taken back by Escape. */
export function useDrag({ value, moved, onPreview, onCommit, onCancel }: Options) {
  const [dragged, setDragged] = useState<number | null>(null);
  const handlers = useRef({ moved, onPreview, onCommit, onCancel });
  useEffect(() => {
    handlers.current = { moved, onPreview, onCommit, onCancel };
  });

  const onPointerDown = (event: ReactPointerEvent<HTMLElement>) => {
    if (event.button !== 0) return;
    const { clientX, clientY, pointerId } = event;
    const target = event.currentTarget;
    const start = value;
    let current = start;
    let frame = 0;
    let travelled = false;
    const end = (finish: () => void) => {
      cancelAnimationFrame(frame);
      target.removeEventListener("pointermove", move);
      target.removeEventListener("pointerup", up);
      target.removeEventListener("pointercancel", cancel);
      window.removeEventListener("keydown", key, true);
      setDragged(null);
      if (travelled) finish();
    };
    const move = (moving: PointerEvent) => {
      const [dx, dy] = [moving.clientX - clientX, moving.clientY - clientY];
      if (!travelled && Math.abs(dx) + Math.abs(dy) < 2) return;
      if (!travelled) target.setPointerCapture(pointerId);
      travelled = true;
      current = handlers.current.moved(start, dx, dy, moving.shiftKey);
      if (!frame) {
        frame = requestAnimationFrame(() => {
          frame = 0;
          setDragged(current);
          handlers.current.onPreview(current);
        });
      }
    };
    const up = () => end(() => handlers.current.onCommit(current));
    const cancel = () => end(() => handlers.current.onCancel());
    const key = (pressed: KeyboardEvent) => {
      if (pressed.key === "Escape") {
        pressed.stopPropagation();
        cancel();
      }
    };
    target.addEventListener("pointermove", move);
    target.addEventListener("pointerup", up);
    target.addEventListener("pointercancel", cancel);
    window.addEventListener("keydown", key, true);
  };

  return { dragged, onPointerDown };
}
