import { chakra } from "@chakra-ui/react";
import { useCallback, useRef } from "react";

import { useActing, useTransport } from "../../app/SessionContext";
import { useCanvas } from "../../canvas/useCanvas";

const SIDE_PX = 132;
const KEPT = 16;

/** What is heard, left against right turned by 45 degrees: upright is the middle, flat works against itself. */
export function Goniometer() {
  const { live } = useActing();
  const { playing } = useTransport();
  const blocks = useRef<Float32Array[]>([]);
  const { ref } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) => {
        const pairs = live.frame()?.pairs;
        if (pairs && blocks.current.at(-1) !== pairs)
          blocks.current = [...blocks.current.slice(1 - KEPT), pairs];
        const [x, y, half] = [widthPx / 2, heightPx / 2, Math.min(widthPx, heightPx) / 2 - 8];
        context.strokeStyle = colors.rule;
        context.beginPath();
        context.moveTo(x, y - half);
        context.lineTo(x + half, y);
        context.lineTo(x, y + half);
        context.lineTo(x - half, y);
        context.closePath();
        for (const [dx, dy] of [
          [half, 0],
          [0, half],
          [half / 2, half / 2],
          [half / 2, -half / 2],
        ] as const) {
          context.moveTo(x - dx, y - dy);
          context.lineTo(x + dx, y + dy);
        }
        context.stroke();
        let peak = 0.05;
        for (const block of blocks.current)
          for (const sample of block) peak = Math.max(peak, Math.abs(sample));
        context.fillStyle = colors.focus;
        blocks.current.forEach((block, age) => {
          context.globalAlpha = (0.5 * (age + 1)) / blocks.current.length;
          const count = block.length / 2;
          for (let index = 0; index < count; index += 1) {
            const left = (block[index] ?? 0) / peak;
            const right = (block[count + index] ?? 0) / peak;
            context.fillRect(x + ((right - left) / 2) * half, y - ((left + right) / 2) * half, 1.4, 1.4);
          }
        });
        context.globalAlpha = 1;
        context.fillStyle = colors.quiet;
        context.fillText("M", x - 4, 10);
        context.fillText("L", x - half / 2 - 14, y - half / 2 - 4);
        context.fillText("R", x + half / 2 + 6, y - half / 2 - 4);
      },
      [live],
    ),
    playing && "gliding",
  );
  return (
    <chakra.canvas
      ref={ref}
      role="img"
      aria-label="Left against right of what is heard"
      width={`${SIDE_PX}px`}
      height={`${SIDE_PX}px`}
      flexShrink="0"
    />
  );
}
