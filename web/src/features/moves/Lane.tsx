import { chakra } from "@chakra-ui/react";
import { useCallback, useEffect, useRef, useState, type MouseEvent, type PointerEvent } from "react";

import type { Move, Movable, MovePoint, Wish } from "../../api/types";
import { recordedNow, useRecording } from "../../app/recording";
import { useOpen } from "../../app/SessionContext";
import { askName, useView } from "../../app/store";
import { useCanvas } from "../../canvas/useCanvas";
import { followPointer } from "../../controls/followPointer";
import { LetterToggle } from "../../controls/LetterToggle";
import { SignButton } from "../../controls/SignButton";
import { snapped, stepped, type Snap } from "../../lib/beatGrid";
import { parseNumber, formatTime } from "../../lib/format";
import { bentBy, fromShare, showRange, showValue, toShare, valueAt } from "../../lib/moves";
import { paintLane, paintStroke, shareAt, yOf } from "./drawLane";
import { LaneMenu } from "./LaneMenu";
import { CurvePoint } from "../../controls/CurvePoint";
import { withSample, type Sample } from "./freehand";

const TALL_PX = 96;
const LOW_PX = 64;
const SHOW_EVERY_MS = 100;
const FINE = 0.01;
const BEND_STEP = 0.1;
const BEND_PX = 60;

type LaneProps = {
  move: Move;
  movable: Movable;
  movables: Movable[];
  durationS: number;
  widthPx: number;
  /** The first lane has more room. */
  tall: boolean;
};

/** One parameter over the song: its curve, its points, and what it is now. */
export function Lane({ move, movable, movables, durationS, widthPx, tall }: LaneProps) {
  const { grid, live, edit, strips } = useOpen();
  const heightPx = tall ? TALL_PX : LOW_PX;
  const tool = useView((view) => view.laneTool);
  const snap = useView((view) => view.laneSnap);
  const [drawn, setDrawn] = useState<MovePoint[] | null>(null);
  const [stroke, setStroke] = useState<Sample[]>([]);
  const recorded = useRecording((recording) => recording.strokes);
  const now = useRef<HTMLElement>(null);
  const lane = useRef<HTMLDivElement>(null);
  const isNew = useRef(move.points.length === 1);
  useEffect(() => {
    if (isNew.current) lane.current?.scrollIntoView({ block: "nearest" });
  }, []);
  const { parameter, name } = movable;
  const points = drawn ?? move.points;
  const pxPerS = widthPx / durationS;

  const { ref: canvas } = useCanvas(
    useCallback(
      (context, width, height, colors) => {
        paintLane(context, width, height, colors, { points, parameter, durationS, on: move.on, grid });
        const over = recorded.filter((item) => item.target === move.target).map((item) => item.points);
        for (const samples of [stroke, ...over])
          paintStroke(context, width, height, colors, { samples, parameter, durationS });
      },
      [points, parameter, durationS, move.on, move.target, grid, stroke, recorded],
    ),
    false,
  );
  useEffect(() => {
    const write = () => {
      const value = recordedNow(move.target) ?? valueAt(points, parameter, live.positionS());
      const text = showValue(parameter, value);
      if (now.current && now.current.textContent !== text) now.current.textContent = text;
    };
    write();
    const timer = setInterval(write, SHOW_EVERY_MS);
    return () => clearInterval(timer);
  }, [live, parameter, points, move.target]);

  const wish = (next: MovePoint[], on = move.on): Wish => ({
    type: "set-moves",
    moves: [{ target: move.target, on, points: next }],
  });
  const preview = (next: MovePoint[]) => {
    setDrawn(next);
    live.preview(wish(next));
  };
  const keep = (next: MovePoint[]) => {
    setDrawn(next);
    void edit(wish(next)).then(() => setDrawn(null));
  };
  const revert = () => {
    setDrawn(null);
    live.revert();
  };
  const placed = (timeS: number, free: boolean): number => snapped(grid, timeS, free ? "free" : snap);
  /** A point put elsewhere stays between its neighbours. */
  const moved = (index: number, atS: number, share: number): MovePoint[] => {
    const before = move.points[index - 1]?.at_s ?? 0;
    const behind = move.points[index + 1]?.at_s ?? durationS;
    const at_s = Math.min(behind, Math.max(before, atS));
    return move.points.map((point, place) =>
      place === index ? { ...point, at_s, value: fromShare(parameter, share) } : point,
    );
  };
  const place = (event: { clientX: number; clientY: number; currentTarget: HTMLElement }) => {
    const box = event.currentTarget.getBoundingClientRect();
    return { atS: (event.clientX - box.left) / pxPerS, share: shareAt(event.clientY - box.top, heightPx) };
  };
  const add = (event: MouseEvent<HTMLElement>) => {
    if (tool !== "points") return;
    const { atS: wantedS, share } = place(event);
    const atS = placed(wantedS, event.altKey);
    const at = points.findLastIndex((point) => point.at_s <= atS) + 1;
    keep([
      ...points.slice(0, at),
      { at_s: atS, value: fromShare(parameter, share), bend: 0 },
      ...points.slice(at),
    ]);
  };
  const without = (index: number) => {
    if (points.length > 1) keep(points.filter((_, at) => at !== index));
    else void edit({ type: "remove-moves", targets: [move.target] });
  };
  const bent = (index: number, by: number) =>
    points.map((point, at) => (at === index ? { ...point, bend: bentBy(point.bend, by) } : point));
  const type = async (index: number) => {
    const point = points[index];
    if (!point || typeof point.value === "boolean") return;
    const typed = await askName(`${name} at ${formatTime(point.at_s)}`, showValue(parameter, point.value));
    const value = typed === null ? null : parseNumber(typed);
    if (value === null) return;
    const next = Number.isFinite(value) ? value : null;
    keep(points.map((item, at) => (at === index ? { ...item, value: next } : item)));
  };

  /** Between two points the pointer bends the curve. */
  const bend = (event: PointerEvent<HTMLElement>) => {
    const { atS } = place(event);
    const index = points.findLastIndex((point) => point.at_s <= atS);
    const [begin, end] = [points[index], points[index + 1]];
    if (!begin || !end || parameter.kind === "switch") return;
    const rises = toShare(parameter, end.value) >= toShare(parameter, begin.value);
    let next = points;
    followPointer(event, {
      onMove: (_, __, dyPx) => {
        next = bent(index, (rises ? dyPx : -dyPx) / BEND_PX);
        preview(next);
      },
      onEnd: (released) => (released ? keep(next) : revert()),
    });
  };
  /** What the pointer draws takes the place of what was there. */
  const draw = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const at = (pointer: { clientX: number; clientY: number }): Sample => ({
      at_s: Math.min(durationS, Math.max(0, (pointer.clientX - box.left) / pxPerS)),
      value: fromShare(parameter, shareAt(pointer.clientY - box.top, heightPx)),
    });
    let samples = [at(event)];
    const ends = (snapTo: Snap): Sample[] => atGrid(samples, (timeS) => snapped(grid, timeS, snapTo));
    followPointer(event, {
      onMove: (pointer) => {
        samples = withSample(samples, at(pointer));
        setStroke(samples);
      },
      onEnd: (released) => {
        const points = ends(released?.altKey ? "free" : snap);
        if (!released || points.length < 2) {
          setStroke([]);
          return;
        }
        void edit({ type: "draw-moves", strokes: [{ target: move.target, points }] }).then(() =>
          setStroke([]),
        );
      },
    });
  };

  return (
    <chakra.div
      ref={lane}
      role="group"
      aria-label={`${name} over the song`}
      position="relative"
      height={`${heightPx}px`}
      borderTop="1px solid"
      borderColor="rule"
    >
      <chakra.div
        data-lane={move.target}
        position="absolute"
        left="72px"
        right="12px"
        height="100%"
        touchAction="none"
        cursor={tool === "freehand" ? "crosshair" : "default"}
        title={
          tool === "freehand"
            ? "Draw; what is drawn takes the place of what was there"
            : "Double-click for a point, drag the curve to bend it; Alt leaves the grid"
        }
        onDoubleClick={add}
        onPointerDown={tool === "freehand" ? draw : bend}
      >
        <chakra.canvas ref={canvas} width="100%" height="100%" />
        {points.map((point, index) => (
          <CurvePoint
            key={index}
            label={`${name}, point ${index + 1} of ${points.length}: ${showValue(parameter, point.value)} at ${formatTime(point.at_s)}`}
            leftPx={point.at_s * pxPerS}
            topPx={yOf(parameter, point.value, heightPx)}
            idle={tool === "freehand"}
            onPointerDown={(event) => {
              event.stopPropagation();
              const start = point.at_s;
              const yPx = yOf(parameter, point.value, heightPx);
              let next = points;
              followPointer(event, {
                onMove: (pointer, dxPx, dyPx) => {
                  const atS = dxPx === 0 ? start : placed(start + dxPx / pxPerS, pointer.altKey);
                  next = moved(index, atS, shareAt(yPx + dyPx, heightPx));
                  preview(next);
                },
                onEnd: (released) => (released ? keep(next) : revert()),
              });
            }}
            onKeyDown={(event) => {
              const along = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
              const up = { ArrowUp: 1, ArrowDown: -1, PageUp: 5, PageDown: -5 }[event.key];
              const bending = { "[": -BEND_STEP, "]": BEND_STEP }[event.key];
              const share = toShare(parameter, point.value);
              const step = parameter.kind === "switch" ? 1 : event.shiftKey ? FINE / 5 : FINE;
              if (along) {
                const atS = event.shiftKey
                  ? point.at_s + 0.01 * along
                  : stepped(grid, point.at_s, "beat", along);
                keep(moved(index, atS, share));
              } else if (up) keep(moved(index, point.at_s, share + up * step));
              else if (bending) keep(bent(index, bending));
              else if (event.key === "Delete" || event.key === "Backspace") without(index);
              else if (event.key === "Enter") void type(index);
              else return;
              event.preventDefault();
              event.stopPropagation();
            }}
          />
        ))}
      </chakra.div>
      <chakra.div
        position="absolute"
        left="12px"
        top="2px"
        display="flex"
        alignItems="center"
        gap="6px"
        pointerEvents="none"
        css={{ "& button": { pointerEvents: "auto" } }}
      >
        <chakra.span
          aria-hidden
          width="5px"
          height="15px"
          style={{ background: strips.get(move.target.split("/")[1] ?? "")?.color }}
        />
        <chakra.span bg="card" paddingRight="4px">
          <strong>{name}</strong>{" "}
          <chakra.span ref={now} textStyle="number" color="focus" fontStyle="italic">
            {showValue(parameter, points[0]?.value ?? null)}
          </chakra.span>{" "}
          <chakra.span color="quiet" fontSize="small" textStyle="number">
            moves {showRange(parameter, points)}
          </chakra.span>
        </chakra.span>
        <LetterToggle
          letter={move.on ? "on" : "off"}
          label={`Move ${name}`}
          tone="focus"
          on={move.on}
          onToggle={() => void edit(wish(points, !move.on))}
        />
        <LaneMenu move={move} movable={movable} movables={movables} />
        <SignButton
          label={`Let ${name} rest`}
          onClick={() => void edit({ type: "remove-moves", targets: [move.target] })}
        />
      </chakra.div>
    </chakra.div>
  );
}

/** A stroke whose ends lie on the grid; what is drawn between them stays where it was drawn. */
function atGrid(samples: Sample[], toGrid: (timeS: number) => number): Sample[] {
  const [first, last] = [samples[0], samples.at(-1)];
  if (!first || !last || first === last) return samples;
  const [from, to] = [toGrid(first.at_s), toGrid(last.at_s)];
  if (to <= from) return samples;
  const between = samples.filter((sample) => sample.at_s > from && sample.at_s < to);
  return [{ ...first, at_s: from }, ...between, { ...last, at_s: to }];
}
