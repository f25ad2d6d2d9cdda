import { chakra } from "@chakra-ui/react";
import { useCallback, useLayoutEffect, useRef, useState } from "react";

import { useOpen } from "../../app/SessionContext";
import { STAGES, useView } from "../../app/store";
import { useCanvas } from "../../canvas/useCanvas";
import { formatDb, formatNumber } from "../../lib/format";
import { size } from "../../theme/tokens";
import { paintMeters, paintReduction, toneOf } from "./drawMeters";
import type { TreeItem } from "./model";

/** Where the figures beside the meters are written, by strip. */
export type MeterCells = { peaks: Map<string, HTMLElement>; reductions: Map<string, HTMLElement> };

type MeterCanvasProps = { order: string[]; tree: TreeItem[]; cells: MeterCells };

const TEXT_EVERY_MS = 120;

/** One canvas over all rows paints every meter, once a frame; the figures beside them follow a few times a second. */
export function MeterCanvas({ order, tree, cells }: MeterCanvasProps) {
  const { live } = useOpen();
  const stage = useView((view) => view.stage);
  const textAt = useRef(0);
  const [place, setPlace] = useState({ meterPx: 0, reductionPx: 0 });

  const ref = useCanvas(
    useCallback(
      (context, _widthPx, _heightPx, colors) => {
        const frame = live.frame();
        const strips = live.transport.get().strips;
        const stageIndex = STAGES.indexOf(stage);
        const now = performance.now();
        const writes = now - textAt.current > TEXT_EVERY_MS;
        if (writes) textAt.current = now;
        order.forEach((id, row) => {
          const index = strips.indexOf(id);
          const at = (index * STAGES.length + stageIndex) * 3;
          const meters = index >= 0 ? frame?.meters : undefined;
          const level = {
            peakDb: meters?.[at] ?? -150,
            holdDb: meters?.[at + 1] ?? -150,
            rmsDb: meters?.[at + 2] ?? -150,
          };
          const kind = tree[row]?.strip.kind ?? "track";
          const tone = toneOf(level.holdDb, kind === "track" && stage === "pre-fader");
          const topPx = row * size.rowPx;
          if (place.meterPx) paintMeters(context, place.meterPx, topPx, colors, level, tone);
          const reductionDb = index >= 0 ? (frame?.reductions[index] ?? 0) : 0;
          if (place.reductionPx) paintReduction(context, place.reductionPx, topPx, colors, reductionDb);
          if (!writes) return;
          const peak = cells.peaks.get(id);
          if (peak) {
            const text = formatDb(frame ? level.holdDb : null);
            if (peak.textContent !== text) peak.textContent = text;
            peak.dataset.tone = tone;
          }
          const reduction = cells.reductions.get(id);
          if (reduction) {
            const text = reductionDb > 0.05 ? formatNumber(-reductionDb, 1) : "";
            if (reduction.textContent !== text) reduction.textContent = text;
          }
        });
      },
      [live, stage, order, tree, cells, place],
    ),
    true,
  );

  useLayoutEffect(() => {
    const measure = () => {
      const box = ref.current?.getBoundingClientRect();
      const peak = cells.peaks.get(order[0] ?? "")?.getBoundingClientRect();
      const reduction = cells.reductions.get(order[0] ?? "")?.getBoundingClientRect();
      if (!box || !peak || !reduction) return;
      setPlace({ meterPx: peak.left - box.left, reductionPx: reduction.left - box.left });
    };
    measure();
    window.addEventListener("resize", measure);
    const observer = new ResizeObserver(measure);
    if (ref.current) observer.observe(ref.current);
    return () => {
      window.removeEventListener("resize", measure);
      observer.disconnect();
    };
  }, [order, cells, ref]);

  return (
    <chakra.canvas
      ref={ref}
      position="absolute"
      top="0"
      left="0"
      width="100%"
      height={`${order.length * size.rowPx}px`}
      pointerEvents="none"
    />
  );
}
