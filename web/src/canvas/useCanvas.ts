import { useCallback, useEffect, useRef, type RefObject } from "react";

import { onEachFrame, type Pace } from "../lib/animation";
import { useTheme } from "../theme/useTheme";
import { colorsOf, type Colors } from "./colors";

export type Paint = (
  context: CanvasRenderingContext2D,
  widthPx: number,
  heightPx: number,
  colors: Colors,
) => void;

export type Canvas = { ref: RefObject<HTMLCanvasElement | null>; repaint: () => void };

/**
 * A canvas that is sharp on any screen. `paint` works in CSS pixels. With `moving`, it runs in animation frames;
 * otherwise when something it depends on changes, or when `repaint` is called.
 */
export function useCanvas(paint: Paint, moving: Pace | false): Canvas {
  const ref = useRef<HTMLCanvasElement>(null);
  const painter = useRef(paint);
  const theme = useTheme((state) => state.theme);
  const repaint = useRef<() => void>(() => undefined);

  useEffect(() => {
    painter.current = paint;
    repaint.current();
  }, [paint]);

  useEffect(() => {
    const canvas = ref.current;
    const context = canvas?.getContext("2d");
    if (!canvas || !context) return;
    const colors = colorsOf(theme);
    let { clientWidth: widthPx, clientHeight: heightPx } = canvas;
    const draw = () => {
      const ratio = window.devicePixelRatio || 1;
      const widthDpx = Math.round(widthPx * ratio);
      const heightDpx = Math.round(heightPx * ratio);
      if (canvas.width !== widthDpx || canvas.height !== heightDpx) {
        canvas.width = widthDpx;
        canvas.height = heightDpx;
      }
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      context.clearRect(0, 0, widthPx, heightPx);
      painter.current(context, widthPx, heightPx, colors);
    };
    repaint.current = draw;
    draw();
    // Asking for the size while drawing would have the page laid out in every frame.
    const observer = new ResizeObserver(() => {
      ({ clientWidth: widthPx, clientHeight: heightPx } = canvas);
      draw();
    });
    observer.observe(canvas);
    const stop = moving ? onEachFrame(draw, moving) : () => undefined;
    return () => {
      observer.disconnect();
      stop();
      repaint.current = () => undefined;
    };
  }, [theme, moving]);

  return { ref, repaint: useCallback(() => repaint.current(), []) };
}
