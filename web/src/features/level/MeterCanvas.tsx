import { chakra } from "@chakra-ui/react";
import { useCallback, useLayoutEffect, useRef, useState } from "react";

import { useActing, useTransport } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { useCanvas } from "../../canvas/useCanvas";
import { formatNumber, formatReading } from "../../lib/format";
import { readMeter } from "../../live/frames";
import { size } from "../../theme/tokens";
import { REDUCTION_PX, type Columns } from "./columns";
import { paintMeters, paintReduction, toneOf } from "./drawMeters";
import type { LevelItem } from "./model";

/** Where the figures beside the meters are written, by strip. */
export type MeterCells = { peaks: Map<string, HTMLElement>; reductions: Map<string, HTMLElement> };

type MeterCanvasProps = { items: LevelItem[]; cells: MeterCells; columns: Columns };

const TEXT_EVERY_MS = 120;

/** One canvas over all rows paints every meter, once a frame; the figures beside them follow a few times a second. */
export function MeterCanvas({ items, cells, columns }: MeterCanvasProps) {
  const { meterPx } = columns;
  const { live } = useActing();
  const { playing } = useTransport();
  const stage = useView((view) => view.stage);
  const textAt = useRef(0);
  const [place, setPlace] = useState({ leftPx: 0, reductionPx: 0 });

  const { ref: reductionRef, repaint: repaintReductions } = useCanvas(
    useCallback(
      (context, _widthPx, _heightPx, colors) => {
        const frame = live.frame();
        const strips = live.transport.get().strips;
        items.forEach(({ strip }, row) => {
          const reductionDb = frame?.reductions[strips.indexOf(strip?.id ?? "")] ?? 0;
          paintReduction(context, row * size.rowPx, colors, reductionDb);
        });
      },
      [live, items],
    ),
    false,
  );

  const { ref } = useCanvas(
    useCallback(
      (context, _widthPx, _heightPx, colors) => {
        const frame = live.frame();
        const strips = live.transport.get().strips;
        const now = performance.now();
        const writes = !frame || now - textAt.current > TEXT_EVERY_MS;
        items.forEach(({ strip }, row) => {
          if (!strip) return;
          const id = strip.id;
          const index = strips.indexOf(id);
          const level = readMeter(frame, index, stage);
          const judged = strip.kind === "track" && stage === "pre-fader";
          const tone = toneOf(level.holdDb, judged);
          paintMeters(context, row * size.rowPx, meterPx, colors, level, tone);
          if (!writes) return;
          write(cells.peaks.get(id), formatReading(frame ? level.holdDb : null), tone);
          const reductionDb = frame?.reductions[index] ?? 0;
          write(cells.reductions.get(id), reductionDb > 0.05 ? formatNumber(-reductionDb, 1) : "");
        });
        if (writes) {
          textAt.current = now;
          repaintReductions();
        }
      },
      [live, stage, items, cells, meterPx, repaintReductions],
    ),
    playing && "gliding",
  );

  useLayoutEffect(() => {
    const measure = () => {
      const box = ref.current?.parentElement?.getBoundingClientRect();
      const first = items.find((item) => item.strip)?.strip?.id ?? "";
      const peak = cells.peaks.get(first)?.getBoundingClientRect();
      const reduction = cells.reductions.get(first)?.getBoundingClientRect();
      if (!box || !peak) return;
      setPlace({
        leftPx: peak.left - box.left - meterPx,
        reductionPx: reduction ? reduction.left - box.left : 0,
      });
    };
    measure();
    const observer = new ResizeObserver(measure);
    if (ref.current?.parentElement) observer.observe(ref.current.parentElement);
    return () => observer.disconnect();
  }, [items, cells, meterPx, ref]);

  const height = `${items.length * size.rowPx}px`;
  return (
    <>
      <chakra.canvas
        ref={ref}
        position="absolute"
        top="0"
        width={`${meterPx}px`}
        pointerEvents="none"
        style={{ left: place.leftPx, height }}
      />
      <chakra.canvas
        ref={reductionRef}
        position="absolute"
        top="0"
        width={`${REDUCTION_PX}px`}
        pointerEvents="none"
        hidden={!columns.showsReduction}
        style={{ left: place.reductionPx, height }}
      />
    </>
  );
}

function write(cell: HTMLElement | undefined, text: string, tone?: string): void {
  if (!cell) return;
  if (cell.textContent !== text) cell.textContent = text;
  if (tone && cell.dataset.tone !== tone) cell.dataset.tone = tone;
}
