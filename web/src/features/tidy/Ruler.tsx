import { chakra } from "@chakra-ui/react";
import { useCallback } from "react";

import { useOpen } from "../../app/SessionContext";
import type { Colors } from "../../canvas/colors";
import { useCanvas } from "../../canvas/useCanvas";
import { useSliding } from "../../lib/animation";
import { barLines, barsApart } from "../../lib/beatGrid";
import { COLUMNS, NAME_PX } from "./sizes";

const LEAST_PX = 46;

/** Bars over the clips, with the playhead. */
export function Ruler({ durationS, lanePx }: { durationS: number; lanePx: number }) {
  const { grid, live } = useOpen();
  const { ref } = useCanvas(
    useCallback(
      (context: CanvasRenderingContext2D, widthPx: number, heightPx: number, colors: Colors) => {
        const pxPerS = widthPx / durationS;
        context.font = "11px 'Atkinson Hyperlegible Mono Variable', monospace";
        for (const [bar, atS] of barLines(grid, 0, durationS, barsApart(grid, pxPerS, LEAST_PX))) {
          const x = atS * pxPerS;
          context.fillStyle = colors.rule;
          context.fillRect(x, 0, 1, heightPx);
          context.fillStyle = colors.quiet;
          context.fillText(String(bar), x + 3, 13);
        }
      },
      [grid, durationS],
    ),
    false,
  );
  const playhead = useSliding(() => Math.min(1, live.positionS() / durationS) * lanePx);
  return (
    <chakra.div
      display="flex"
      height="20px"
      borderBottom="1px solid"
      borderColor="ink"
      position="relative"
      flexShrink="0"
    >
      <chakra.div
        width={`${NAME_PX}px`}
        flexShrink="0"
        color="quiet"
        paddingLeft="12px"
        display="grid"
        gridTemplateColumns={COLUMNS}
        fontSize="small"
      >
        <span>strip</span>
        <chakra.span textAlign="right">plays</chakra.span>
        <chakra.span textAlign="right">length</chakra.span>
        <chakra.span textAlign="right" paddingRight="6px">
          peak
        </chakra.span>
      </chakra.div>
      <chakra.canvas ref={ref} flex="1" height="20px" width={`${lanePx}px`} />
      <chakra.div
        ref={playhead}
        position="absolute"
        left={`${NAME_PX}px`}
        top="0"
        width="1.5px"
        height="100vh"
        bg="ink"
        zIndex="1"
        willChange="transform"
        pointerEvents="none"
      />
    </chakra.div>
  );
}
