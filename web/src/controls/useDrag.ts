import { useEffect, useRef, useState, type PointerEvent } from "react";

import { followPointer } from "./followPointer";

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

  const onPointerDown = (event: PointerEvent<HTMLElement>) => {
    const start = value;
    let current = start;
    followPointer(event, {
      onMove: (pointer, dxPx, dyPx) => {
        current = handlers.current.moved(start, dxPx, dyPx, pointer.shiftKey);
        setDragged(current);
        handlers.current.onPreview(current);
      },
      onEnd: (released) => {
        setDragged(null);
        if (released) handlers.current.onCommit(current);
        else handlers.current.onCancel();
      },
    });
  };

  return { dragged, onPointerDown };
}
