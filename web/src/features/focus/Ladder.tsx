import { chakra } from "@chakra-ui/react";
import { useCallback, useEffect, useLayoutEffect, useRef, type ReactNode } from "react";

import { limitsOf } from "../../api/parameters";
import type { Strip } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { REFERENCE_DB, SCALE_HIGH_DB, SCALE_LOW_DB } from "../../canvas/scale";
import { useCanvas } from "../../canvas/useCanvas";
import { useTravel } from "../../controls/overTime";
import { ValueField } from "../../controls/ValueField";
import { formatDb, formatNumber, formatReading } from "../../lib/format";
import { wideLayout } from "../../lib/layouts";
import { readMeter, SILENT_DB, type Frame, type Stage } from "../../live/frames";
import { Sends } from "./Sends";

const THREAD_PX = 96;
const SHOW_EVERY_MS = 100;

/** Levels from the source to the mix along one thread, the chain's cards in between. */
export function Ladder({ strip, children }: { strip: Strip; children: ReactNode }) {
  const { live, state, strips, edit } = useOpen();
  const column = useRef<HTMLDivElement>(null);
  const levels = useRef<number[]>([]);
  const rungYs = useRef<number[]>([]);
  const output = strip.output ? strips.get(strip.output) : undefined;
  const mix = state.document.strips.find((other) => other.kind === "mix");

  const read = useCallback(
    (frame: Frame | null): number[] => {
      const places = live.transport.get().strips;
      const peakDb = (id: string | undefined, stage: Stage) =>
        readMeter(frame, places.indexOf(id ?? ""), stage).holdDb;
      const source = peakDb(strip.id, "source");
      const chain = strip.chain.map((processor) => live.reading(frame, processor.id).peakDb);
      const trimmed = source <= -149 ? source : source + strip.trim_db;
      const ends = strip.kind === "mix" ? [] : [peakDb(output?.id, "source"), peakDb(mix?.id, "post-fader")];
      const toBus = output && output.id !== mix?.id ? ends : ends.slice(1);
      return [
        source,
        trimmed,
        ...chain,
        peakDb(strip.id, "pre-fader"),
        peakDb(strip.id, "post-fader"),
        ...toBus,
      ];
    },
    [live, strip.id, strip.trim_db, strip.kind, strip.chain, output, mix],
  );

  const { ref: thread, repaint } = useCanvas(
    useCallback((context, widthPx, heightPx, colors) => {
      const x = (levelDb: number) =>
        8 +
        Math.min(1, Math.max(0, (levelDb - SCALE_LOW_DB) / (SCALE_HIGH_DB - SCALE_LOW_DB))) * (widthPx - 16);
      context.fillStyle = colors.rule;
      context.fillRect(x(-42), 18, 1, heightPx);
      context.fillRect(x(-30), 18, 1, heightPx);
      context.fillStyle = colors.ink;
      context.fillRect(x(REFERENCE_DB), 18, 1, heightPx);
      context.fillStyle = colors.over;
      context.fillRect(x(0), 18, 1, heightPx);
      context.globalAlpha = 0.08;
      context.fillRect(x(0), 18, widthPx, heightPx);
      context.globalAlpha = 1;
      context.font = "11px 'Atkinson Hyperlegible Mono Variable', monospace";
      context.fillStyle = colors.quiet;
      context.fillText("−42", x(-42), 12);
      context.fillStyle = colors.ink;
      context.fillText("−18", x(REFERENCE_DB) - 10, 12);
      context.fillStyle = colors.over;
      context.fillText("0", x(0) - 3, 12);
      const points = rungYs.current.map((y, place) => {
        const db = levels.current[place] ?? SILENT_DB;
        return { x: x(db), y, db };
      });
      context.strokeStyle = colors.ink;
      context.lineWidth = 1.2;
      context.beginPath();
      points.forEach((point, place) =>
        place ? context.lineTo(point.x, point.y) : context.moveTo(point.x, point.y),
      );
      context.stroke();
      points.forEach((point) => {
        context.fillStyle = point.db > 0 ? colors.over : colors.ink;
        context.beginPath();
        context.arc(point.x, point.y, point.db > 0 ? 5 : 3.5, 0, 7);
        context.fill();
      });
    }, []),
    false,
  );

  useLayoutEffect(() => {
    const element = column.current;
    if (!element) return;
    const find = () => {
      const top = element.getBoundingClientRect().top;
      rungYs.current = [...element.querySelectorAll<HTMLElement>("[data-rung]")].map((rung) => {
        const head = (rung.querySelector("[data-level]") ?? rung).getBoundingClientRect();
        return head.top + head.height / 2 - top;
      });
      repaint();
    };
    const observer = new ResizeObserver(find);
    observer.observe(element);
    return () => observer.disconnect();
  }, [repaint, strip.chain]);

  useEffect(() => {
    const timer = setInterval(() => {
      const frame = live.frame();
      levels.current = read(frame);
      const rungs = column.current?.querySelectorAll<HTMLElement>("[data-rung]") ?? [];
      column.current?.querySelectorAll<HTMLElement>("[data-of]").forEach((figure) => {
        const text = formatReading(frame ? live.reading(frame, figure.dataset.of ?? "").peakDb : null);
        if (figure.textContent !== text) figure.textContent = text;
      });
      rungs.forEach((rung, place) => {
        const text = formatReading(frame ? (levels.current[place] ?? null) : null);
        const figure = rung.querySelector("[data-level]");
        if (figure && figure.textContent !== text) figure.textContent = text;
      });
      repaint();
    }, SHOW_EVERY_MS);
    return () => clearInterval(timer);
  }, [live, read, repaint]);

  return (
    <chakra.div ref={column} position="relative" paddingLeft={`${THREAD_PX + 8}px`}>
      <chakra.canvas
        ref={thread}
        position="absolute"
        top="0"
        left="0"
        width={`${THREAD_PX}px`}
        height="100%"
        pointerEvents="none"
      />
      <chakra.div
        display="flex"
        justifyContent="space-between"
        textStyle="small"
        height="20px"
        alignItems="center"
      >
        <span>peak, dBFS</span>
        <span>change · level</span>
      </chakra.div>
      <Rung name="Source" strong />
      <Rung
        name="Trim"
        change={
          <ValueField
            label="Trim of the focused strip"
            address={`strips/${strip.id}/trim_db`}
            value={strip.trim_db}
            {...limitsOf("strip", "trim_db")}
            step={0.5}
            color="quiet"
            format={(value) => formatNumber(value ?? 0, 1)}
            onPreview={(value) =>
              live.preview({ type: "set-strips", changes: [{ strip: strip.id, trim_db: value ?? 0 }] })
            }
            onCommit={(value) =>
              void edit({ type: "set-strips", changes: [{ strip: strip.id, trim_db: value ?? 0 }] })
            }
            onCancel={() => live.revert()}
          />
        }
      />
      {children}
      <Rung name="Pre-fader" strong />
      <Rung
        name={strip.mute ? "Fader, muted" : wideLayout(strip) ? "Fader" : "Fader, pan"}
        change={<FaderChange strip={strip} />}
      />
      {strip.kind !== "ghost" && <Sends strip={strip} />}
      {output && output.id !== mix?.id && <Rung name={`${output.name}, in`} />}
      {strip.kind !== "mix" && strip.kind !== "ghost" && <Rung name="Mix, out" strong />}
    </chakra.div>
  );
}

/** What the fader is at, or between what it moves. */
function FaderChange({ strip }: { strip: Strip }) {
  const travel = useTravel(`strips/${strip.id}/fader_db`);
  if (!travel) return <chakra.span color="quiet">{formatDb(strip.fader_db)}</chakra.span>;
  const [low, high] = [travel.low, travel.high].map((level) =>
    formatDb(typeof level === "number" ? level : null),
  );
  return (
    <chakra.span color="focus" fontStyle="italic" textStyle="number" title="Moves over the song">
      {low} … {high}
    </chakra.span>
  );
}

type RungProps = { name: string; strong?: boolean; change?: ReactNode };

/** One stage: its name, what it changes, the level after it. */
function Rung({ name, strong, change }: RungProps) {
  return (
    <chakra.div
      data-rung
      display="flex"
      alignItems="center"
      gap="10px"
      height="25px"
      borderBottom="1px solid"
      borderColor="rule"
      fontWeight={strong ? "700" : "400"}
    >
      <chakra.span flex="1">{name}</chakra.span>
      {change}
      <chakra.span data-level textStyle="number" fontWeight="700" minWidth="50px" textAlign="right">
        −∞
      </chakra.span>
    </chakra.div>
  );
}
