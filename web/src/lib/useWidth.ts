import { useEffect, useState, type RefObject } from "react";

/** Inner width of an element, px; 0 until it is known. */
export function useWidth(ref: RefObject<HTMLElement | null>): number {
  const [widthPx, setWidthPx] = useState(0);
  useEffect(() => {
    const element = ref.current;
    if (!element) return;
    const observer = new ResizeObserver(() => setWidthPx(element.clientWidth));
    observer.observe(element);
    return () => observer.disconnect();
  }, [ref]);
  return widthPx;
}
