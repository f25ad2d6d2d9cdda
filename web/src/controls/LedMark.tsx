import { chakra } from "@chakra-ui/react";
import { useContext, useRef } from "react";

import { useEachFrame } from "../lib/animation";
import { OverTimeContext, type Value } from "./overTime";

type LedMarkProps = {
  address: string | undefined;
  /** Where on the control a value is, 0 to 1. */
  shareOf: (value: Value) => number;
  /** Under a number, or on a track. */
  on: "number" | "track";
};

/** What followers do to a control: the range they cover, and a mark that travels along it while the song plays. */
export function LedMark({ address, shareOf, on }: LedMarkProps) {
  const led = useContext(OverTimeContext).led.get(address ?? "");
  const [low, high] = led ? [shareOf(led.low), shareOf(led.high)] : [0, 1];
  // A number has no track: its width is what it covers.
  const placeOf = (share: number) => (on === "track" ? share : (share - low) / Math.max(1e-6, high - low));
  const mark = useRef<HTMLDivElement>(null);
  useEachFrame(() => {
    if (!mark.current || !led) return;
    const value = led.now();
    mark.current.style.opacity = value === undefined ? "0" : "1";
    if (value !== undefined) mark.current.style.left = `calc(${100 * placeOf(shareOf(value))}% - 1.5px)`;
  }, "wandering");
  if (!led) return null;
  const place = on === "number" ? { bottom: "-1px", height: "4px" } : { top: "7px", height: "10px" };
  return (
    <chakra.div
      aria-hidden
      data-testid="led"
      position="absolute"
      left="0"
      right="0"
      pointerEvents="none"
      {...place}
    >
      <chakra.div
        position="absolute"
        top="0"
        bottom="0"
        bg="follow"
        opacity="0.3"
        style={{ left: `${100 * placeOf(low)}%`, width: `${100 * (placeOf(high) - placeOf(low))}%` }}
      />
      <chakra.div ref={mark} position="absolute" top="0" bottom="0" width="3px" bg="follow" opacity="0" />
    </chakra.div>
  );
}
