import { chakra } from "@chakra-ui/react";
import { useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";

import { limitsOf } from "../../api/parameters";
import type { Strip, StripSettings, Wish } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import { focusStrip, selectStrips, useView } from "../../app/store";
import { followPointer } from "../../controls/followPointer";
import { useWidth } from "../../lib/useWidth";
import { arcPath, listenerOf, pointAt, positionOf, radiiOf, radiusAt, ZONES, type Placed } from "./geometry";
import { channelsOf, LOSS_DB, sideOf, type StagePlace } from "./report";
import { arcAsSet, panAt, placeOf } from "./setting";

const HEIGHT_PX = 560;
const STEP = 0.05;

type StageViewProps = {
  places: Map<string, StagePlace>;
  strips: Strip[];
  /** Where some would stand after an edit. */
  foreseen: Map<string, Strip> | null;
  asSet: boolean;
  stale: boolean;
};

/** The stage from above: strips as arcs where they are heard, to be dragged; their ends widen them. */
export function StageView({ places, strips, foreseen, asSet, stale }: StageViewProps) {
  const { live, edit } = useActing();
  const area = useRef<HTMLDivElement>(null);
  const widthPx = useWidth(area);
  const focused = useView((view) => view.focused);
  const selected = useView((view) => view.selected);
  const [moving, setMoving] = useState<Map<string, Strip> | null>(null);
  const plan = { widthPx, heightPx: HEIGHT_PX };
  const shown = useMemo(
    () =>
      strips
        .filter((strip) => strip.kind === "track" || strip.kind === "return")
        .map((strip) => ({ strip, place: places.get(strip.id) })),
    [places, strips],
  );
  const placed = shown.map(({ place, strip }): Placed & { strip: string } => ({
    strip: strip.id,
    ...(place && !asSet
      ? { position: place.position, reach: place.reach }
      : arcAsSet(strip, channelsOf(place))),
    wetDb: place?.wet_db ?? null,
    isReturn: strip.kind === "return",
    name: strip.name,
  }));
  const radii = widthPx > 0 ? radiiOf(plan, placed) : new Map<string, number>();

  const wish = (changes: Map<string, Strip>): Wish => ({
    type: "set-strips",
    changes: [...changes.values()].map((strip): StripSettings => ({
      strip: strip.id,
      pan: placeOf(strip.pan),
      width: strip.width,
    })) as never,
  });
  /** All that are picked move along with one of them. */
  const together = (id: string) =>
    shown.filter(({ strip }) => strip.id === id || (selected.has(id) && selected.has(strip.id)));
  const panned = (id: string, by: number) =>
    new Map(together(id).map(({ strip }) => [strip.id, { ...strip, pan: panAt(strip.pan, by) }]));
  const widened = (id: string, by: number) => {
    const { minimum, maximum } = limitsOf("strip", "width");
    const next = (width: number) => Math.round(100 * Math.min(maximum, Math.max(minimum, width + by))) / 100;
    return new Map(together(id).map(({ strip }) => [strip.id, { ...strip, width: next(strip.width) }]));
  };
  const drag = (event: PointerEvent<SVGElement>, id: string, changed: (by: number) => Map<string, Strip>) => {
    event.stopPropagation();
    if (!selected.has(id)) focusStrip(id);
    else selectStrips([...selected], id);
    const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
    if (!box) return;
    const at = (pointer: { clientX: number; clientY: number }) =>
      positionOf(plan, { x: pointer.clientX - box.left, y: pointer.clientY - box.top });
    const start = at(event);
    let next = new Map<string, Strip>();
    followPointer(event as unknown as PointerEvent<HTMLElement>, {
      onMove: (pointer) => {
        next = changed(at(pointer) - start);
        setMoving(next);
        live.preview(wish(next));
      },
      onEnd: (released) => {
        setMoving(null);
        if (released) void edit(wish(next));
        else live.revert();
      },
    });
  };
  const onKey = (id: string) => (event: KeyboardEvent) => {
    const along = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    const wider = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    const step = event.shiftKey ? STEP / 5 : STEP;
    if (along) void edit(wish(panned(id, along * step)));
    else if (wider) void edit(wish(widened(id, wider * step)));
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const middle = listenerOf(plan);
  return (
    <chakra.div ref={area} position="relative" height={`${HEIGHT_PX}px`} opacity={stale ? 0.6 : 1}>
      {widthPx > 0 && (
        <chakra.svg
          width={widthPx}
          height={HEIGHT_PX}
          role="group"
          aria-label="The stage from above"
          fontSize="small"
        >
          {ZONES.map((zone) => (
            <g key={zone.words}>
              <chakra.path
                d={arcPath(plan, radiusAt(plan, zone.at) - 12, 0, 1)}
                fill="none"
                stroke="rule"
                strokeDasharray="2 4"
              />
              <chakra.text
                {...pointAt(plan, radiusAt(plan, zone.at) - 12, -1.03)}
                fill="quiet"
                textAnchor="end"
              >
                {zone.words}
              </chakra.text>
            </g>
          ))}
          {[-1, -0.67, -0.33, 0, 0.33, 0.67, 1].map((position) => (
            <g key={position}>
              <chakra.line
                x1={pointAt(plan, radiusAt(plan, 0), position).x}
                y1={pointAt(plan, radiusAt(plan, 0), position).y}
                x2={pointAt(plan, radiusAt(plan, 1), position).x}
                y2={pointAt(plan, radiusAt(plan, 1), position).y}
                stroke="rule"
              />
              <chakra.text
                x={pointAt(plan, radiusAt(plan, 1.07), position).x}
                y={pointAt(plan, radiusAt(plan, 1.07), position).y - 2}
                fill="quiet"
                textAnchor="middle"
              >
                {position === 0
                  ? "centre"
                  : Math.abs(position) === 1
                    ? position < 0
                      ? "left"
                      : "right"
                    : sideOf(position)}
              </chakra.text>
            </g>
          ))}
          <chakra.circle cx={middle.x} cy={middle.y} r="8" fill="none" stroke="ink" strokeWidth="1.5" />
          <chakra.path
            d={`M ${middle.x - 4} ${middle.y - 8} L ${middle.x} ${middle.y - 13} L ${middle.x + 4} ${middle.y - 8}`}
            fill="none"
            stroke="ink"
            strokeWidth="1.5"
          />
          <chakra.text x={middle.x + 16} y={middle.y + 4} fill="quiet">
            listener
          </chakra.text>
          {placed.map((item) => {
            const entry = shown.find(({ strip }) => strip.id === item.strip);
            const radius = radii.get(item.strip);
            if (!entry || radius === undefined) return null;
            const { strip, place } = entry;
            const thick = 4 + Math.max(0, Math.min(8, ((place?.rms_dbfs ?? -90) + 54) / 4));
            const isChosen = strip.id === focused || selected.has(strip.id);
            const moved = (moving ?? foreseen)?.get(strip.id);
            const ghost = moved && arcAsSet(moved, channelsOf(place));
            const travelled = asSet ? null : travelOf(place?.travel ?? []);
            const label = pointAt(plan, radius + thick / 2 + 6, item.position);
            return (
              <chakra.g
                key={strip.id}
                role="slider"
                tabIndex={0}
                aria-label={`${strip.name} on the stage`}
                aria-valuemin={-100}
                aria-valuemax={100}
                aria-valuenow={Math.round(100 * item.position)}
                aria-valuetext={`${sideOf(item.position)}, reaches ${Math.round(100 * item.reach)} %`}
                cursor="grab"
                touchAction="none"
                onPointerDown={(event) => drag(event, strip.id, (by) => panned(strip.id, by))}
                onKeyDown={onKey(strip.id)}
                onFocus={() => strip.id !== focused && focusStrip(strip.id)}
              >
                <title>Drag to pan, its ends to widen; arrow keys do both</title>
                <path
                  d={arcPath(plan, radius, item.position, item.reach)}
                  fill="none"
                  stroke={strip.color}
                  strokeWidth={thick}
                  strokeDasharray={strip.kind === "return" ? "9 4" : undefined}
                  opacity={strip.mute ? 0.35 : 1}
                />
                <path
                  d={arcPath(plan, radius, item.position, item.reach)}
                  fill="none"
                  stroke="transparent"
                  strokeWidth={24}
                />
                {item.reach > 0.06 && (
                  <chakra.line
                    x1={pointAt(plan, radius - thick, item.position).x}
                    y1={pointAt(plan, radius - thick, item.position).y}
                    x2={pointAt(plan, radius + thick, item.position).x}
                    y2={pointAt(plan, radius + thick, item.position).y}
                    stroke="ink"
                    strokeWidth="1.5"
                  />
                )}
                {item.reach > 0.06 &&
                  [-1, 1].map((end) => (
                    <chakra.circle
                      key={end}
                      cx={pointAt(plan, radius, item.position + end * item.reach).x}
                      cy={pointAt(plan, radius, item.position + end * item.reach).y}
                      r="10"
                      fill="transparent"
                      cursor="ew-resize"
                      onPointerDown={(event) => drag(event, strip.id, (by) => widened(strip.id, end * by))}
                    />
                  ))}
                {travelled && (
                  <chakra.path
                    d={arcPath(plan, radius + thick / 2 + 2, travelled.position, travelled.reach)}
                    fill="none"
                    stroke="quiet"
                    strokeWidth="1.5"
                    strokeDasharray="1 3"
                  />
                )}
                {ghost && (
                  <chakra.path
                    d={arcPath(plan, radius + thick / 2 + 3, ghost.position, ghost.reach)}
                    fill="none"
                    stroke="focus"
                    strokeWidth="2"
                  />
                )}
                <chakra.text
                  x={label.x}
                  y={label.y}
                  textAnchor="middle"
                  fill={isChosen ? "focus" : "ink"}
                  fontWeight={isChosen ? "700" : "400"}
                >
                  {(place?.mono_loss_db ?? 0) > LOSS_DB && strip.kind === "track" ? "⚠ " : ""}
                  {strip.name}
                </chakra.text>
              </chakra.g>
            );
          })}
        </chakra.svg>
      )}
    </chakra.div>
  );
}

const TRAVELS_FROM = 0.05;

/** The arc that something moves over; null for what hardly moves. */
function travelOf(positions: number[]): { position: number; reach: number } | null {
  const [least, most] = [Math.min(...positions), Math.max(...positions)];
  return most - least > TRAVELS_FROM ? { position: (least + most) / 2, reach: (most - least) / 2 } : null;
}
