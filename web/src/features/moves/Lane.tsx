import { chakra } from "@chakra-ui/react";
import { useCallback, useEffect, useRef, useState, type KeyboardEvent, type MouseEvent } from "react";

import type { Move, Movable, MovePoint, Wish } from "../../api/types";
import { askName } from "../../app/store";
import { useOpen } from "../../app/SessionContext";
import { useCanvas } from "../../canvas/useCanvas";
import { followPointer } from "../../controls/followPointer";
import { LetterToggle } from "../../controls/LetterToggle";
import { SignButton } from "../../controls/SignButton";
import { parseNumber, formatTime } from "../../lib/format";
import { fromShare, showValue, toShare, valueAt } from "../../lib/moves";
import { snapped, stepped } from "../../lib/beatGrid";
import { paintLane, shareAt, yOf } from "./drawLane";

const LANE_PX = 76;
const SHOW_EVERY_MS = 100;
const FINE = 0.01;

type LaneProps = { move: Move; movable: Movable; durationS: number; widthPx: number };

/** One parameter over the song: its curve, its points, and what it is now. */
export function Lane({ move, movable, durationS, widthPx }: LaneProps) {
  const { grid, live, edit } = useOpen();
  const [drawn, setDrawn] = useState<MovePoint[] | null>(null);
  const now = useRef<HTMLElement>(null);
  const { parameter, name } = movable;
  const points = drawn ?? move.points;

  const { ref: canvas } = useCanvas(
    useCallback(
      (context, width, height, colors) =>
        paintLane(context, width, height, colors, {
          points,
          parameter,
          durationS,
          on: move.on,
          grid,
        }),
      [points, parameter, durationS, move.on, grid],
    ),
    false,
  );
  useEffect(() => {
    const write = () => {
      const text = showValue(parameter, valueAt(points, parameter, live.positionS()));
      if (now.current && now.current.textContent !== text) now.current.textContent = text;
    };
    write();
    const timer = setInterval(write, SHOW_EVERY_MS);
    return () => clearInterval(timer);
  }, [live, parameter, points]);

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
  /** A point put elsewhere stays between its neighbours. */
  const moved = (index: number, atS: number, share: number): MovePoint[] => {
    const before = move.points[index - 1]?.at_s ?? 0;
    const behind = move.points[index + 1]?.at_s ?? durationS;
    const at_s = Math.min(behind, Math.max(before, atS));
    return move.points.map((point, place) =>
      place === index ? { ...point, at_s, value: fromShare(parameter, share) } : point,
    );
  };
  const add = (event: MouseEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const atS = snapped(
      grid,
      ((event.clientX - box.left) / box.width) * durationS,
      event.altKey ? "free" : "beat",
    );
    const value = fromShare(parameter, shareAt(event.clientY - box.top, LANE_PX));
    const place = points.findLastIndex((point) => point.at_s <= atS) + 1;
    keep([...points.slice(0, place), { at_s: atS, value, bend: 0 }, ...points.slice(place)]);
  };
  const without = (index: number) => {
    if (points.length > 1) keep(points.filter((_, place) => place !== index));
    else void edit({ type: "remove-moves", targets: [move.target] });
  };
  const type = async (index: number) => {
    const point = points[index];
    if (!point || typeof point.value === "boolean") return;
    const typed = await askName(`${name} at ${formatTime(point.at_s)}`, showValue(parameter, point.value));
    const value = typed === null ? null : parseNumber(typed);
    if (value === null) return;
    const next = Number.isFinite(value) ? value : null;
    keep(points.map((item, place) => (place === index ? { ...item, value: next } : item)));
  };

  return (
    <chakra.div
      role="group"
      aria-label={`${name} over the song`}
      position="relative"
      height={`${LANE_PX}px`}
      borderTop="1px solid"
      borderColor="rule"
    >
      <chakra.div
        position="absolute"
        left="72px"
        right="12px"
        height="100%"
        title="Double-click for a point; Alt leaves the beat grid"
        onDoubleClick={add}
      >
        <chakra.canvas ref={canvas} width="100%" height="100%" />
        {points.map((point, index) => (
          <Point
            key={index}
            label={`${name}, point ${index + 1} of ${points.length}: ${showValue(parameter, point.value)} at ${formatTime(point.at_s)}`}
            leftPx={(point.at_s / durationS) * widthPx}
            topPx={yOf(parameter, point.value, LANE_PX)}
            onPointerDown={(event) => {
              event.stopPropagation();
              const start = point.at_s;
              const yPx = yOf(parameter, point.value, LANE_PX);
              let next = points;
              followPointer(event, {
                onMove: (pointer, dxPx, dyPx) => {
                  const atS = snapped(
                    grid,
                    start + (dxPx / widthPx) * durationS,
                    pointer.altKey ? "free" : "beat",
                  );
                  next = moved(index, atS, shareAt(yPx + dyPx, LANE_PX));
                  preview(next);
                },
                onEnd: (released) => (released ? keep(next) : revert()),
              });
            }}
            onKeyDown={(event) => {
              const along = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
              const up = { ArrowUp: 1, ArrowDown: -1, PageUp: 5, PageDown: -5 }[event.key];
              const share = toShare(parameter, point.value);
              const step = parameter.kind === "switch" ? 1 : event.shiftKey ? FINE / 5 : FINE;
              if (along)
                keep(
                  moved(
                    index,
                    event.shiftKey ? point.at_s + 0.01 * along : stepped(grid, point.at_s, "beat", along),
                    share,
                  ),
                );
              else if (up) keep(moved(index, point.at_s, share + up * step));
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
        <chakra.span bg="card" paddingRight="4px">
          <strong>{name}</strong>{" "}
          <chakra.span ref={now} textStyle="number" color="focus" fontStyle="italic">
            {showValue(parameter, points[0]?.value ?? null)}
          </chakra.span>
        </chakra.span>
        <LetterToggle
          letter={move.on ? "on" : "off"}
          label={`Move ${name}`}
          tone="focus"
          on={move.on}
          onToggle={() => void edit(wish(points, !move.on))}
        />
        <SignButton
          label={`Let ${name} rest`}
          onClick={() => void edit({ type: "remove-moves", targets: [move.target] })}
        />
      </chakra.div>
    </chakra.div>
  );
}

type PointProps = {
  label: string;
  leftPx: number;
  topPx: number;
  onPointerDown: (event: React.PointerEvent<HTMLElement>) => void;
  onKeyDown: (event: KeyboardEvent<HTMLElement>) => void;
};

function Point({ label, leftPx, topPx, onPointerDown, onKeyDown }: PointProps) {
  return (
    <chakra.button
      type="button"
      aria-label={label}
      title={`${label}. Drag or arrow keys; Enter types, Delete takes it away`}
      position="absolute"
      width="target"
      height="target"
      display="grid"
      placeItems="center"
      cursor="move"
      touchAction="none"
      style={{ left: `${leftPx - 12}px`, top: `${topPx - 12}px` }}
      onPointerDown={onPointerDown}
      onDoubleClick={(event) => event.stopPropagation()}
      onKeyDown={onKeyDown}
    >
      <chakra.span width="8px" height="8px" bg="card" border="1.5px solid" borderColor="focus" />
    </chakra.button>
  );
}
