import { chakra } from "@chakra-ui/react";
import { useCallback, useRef } from "react";

import { useActing, useTransport } from "../../app/SessionContext";
import type { Colors } from "../../canvas/colors";
import { useCanvas } from "../../canvas/useCanvas";

const SIDE_PX = 132;
const CORRELATION_PX = 18;
const KEPT = 16;

type GoniometerProps = { strip: string; name: string };

/**
 * The focused strip as it leaves its fader, left against right turned by 45 degrees: upright is the middle, flat works
 * against itself. Below, how alike both sides were of late: right is the same, left its opposite.
 */
export function Goniometer({ strip, name }: GoniometerProps) {
  const { live } = useActing();
  const { playing } = useTransport();
  const kept = useRef<{ strip: string; blocks: Float32Array[] }>({ strip, blocks: [] });
  const { ref } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) => {
        if (kept.current.strip !== strip) kept.current = { strip, blocks: [] };
        const scope = live.frame()?.scope;
        const { blocks } = kept.current;
        if (scope?.length && blocks.at(-1) !== scope) blocks.push(scope);
        if (blocks.length > KEPT) blocks.shift();
        const [x, y, half] = [widthPx / 2, (heightPx - CORRELATION_PX) / 2, widthPx / 2 - 8];
        drawField(context, x, y, half, colors);
        drawPairs(context, x, y, half, blocks, colors);
        drawCorrelation(context, x, heightPx - CORRELATION_PX / 2, half, blocks.at(-1)?.[0], colors);
      },
      [live, strip],
    ),
    playing && "gliding",
  );
  return (
    <chakra.canvas
      ref={ref}
      role="img"
      aria-label={`Left against right of ${name}, and how alike they are`}
      width={`${SIDE_PX}px`}
      height={`${SIDE_PX + CORRELATION_PX}px`}
      flexShrink="0"
    />
  );
}

function drawField(context: CanvasRenderingContext2D, x: number, y: number, half: number, colors: Colors) {
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
  context.fillStyle = colors.quiet;
  context.fillText("M", x - 4, y - half + 2);
  context.fillText("L", x - half / 2 - 14, y - half / 2 - 4);
  context.fillText("R", x + half / 2 + 6, y - half / 2 - 4);
}

/** Each block's pairs, the older the paler; as large as the loudest of them allows. */
function drawPairs(
  context: CanvasRenderingContext2D,
  x: number,
  y: number,
  half: number,
  blocks: Float32Array[],
  colors: Colors,
) {
  let peak = 0.05;
  for (const block of blocks)
    for (let index = 1; index < block.length; index += 1) peak = Math.max(peak, Math.abs(block[index] ?? 0));
  context.fillStyle = colors.focus;
  blocks.forEach((block, age) => {
    context.globalAlpha = (0.5 * (age + 1)) / blocks.length;
    const count = (block.length - 1) / 2;
    for (let index = 1; index <= count; index += 1) {
      const left = (block[index] ?? 0) / peak;
      const right = (block[count + index] ?? 0) / peak;
      context.fillRect(x + ((right - left) / 2) * half, y - ((left + right) / 2) * half, 1.4, 1.4);
    }
  });
  context.globalAlpha = 1;
}

function drawCorrelation(
  context: CanvasRenderingContext2D,
  x: number,
  y: number,
  half: number,
  correlation: number | undefined,
  colors: Colors,
) {
  const reach = half - 14;
  context.strokeStyle = colors.edge;
  context.beginPath();
  context.moveTo(x - reach, y);
  context.lineTo(x + reach, y);
  context.moveTo(x, y - 3);
  context.lineTo(x, y + 3);
  context.stroke();
  context.fillStyle = colors.quiet;
  context.fillText("−1", x - half - 6, y + 4);
  context.fillText("+1", x + reach + 5, y + 4);
  if (correlation === undefined) return;
  context.fillStyle = correlation < 0 ? colors.hot : colors.focus;
  context.fillRect(x + correlation * reach - 2, y - 5, 4, 10);
}
