import { chakra } from "@chakra-ui/react";
import { useCallback } from "react";

import { useCanvas } from "../../canvas/useCanvas";

/** The gain of a sentence, small: only its shape. */
export function Mini({ gainDb }: { gainDb: number[] }) {
  const { ref } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) => {
        const lowest = Math.min(-1, ...gainDb);
        context.strokeStyle = colors.key;
        context.fillStyle = colors.key;
        context.beginPath();
        context.moveTo(0, 2);
        for (let x = 0; x <= widthPx; x += 1) {
          const bin = Math.min(gainDb.length - 1, Math.floor((x / widthPx) * gainDb.length));
          context.lineTo(x, 2 + ((gainDb[bin] ?? 0) / lowest) * (heightPx - 4));
        }
        context.stroke();
        context.lineTo(widthPx, 2);
        context.globalAlpha = 0.2;
        context.fill();
        context.globalAlpha = 1;
      },
      [gainDb],
    ),
    false,
  );
  return <chakra.canvas ref={ref} width="100%" height="100%" aria-hidden />;
}
