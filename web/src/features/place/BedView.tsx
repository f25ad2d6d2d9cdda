import { chakra } from "@chakra-ui/react";
import { useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";

import type { Strip, StripSettings, Wish } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import { focusStrip, selectStrips, useView } from "../../app/store";
import { followPointer } from "../../controls/followPointer";
import { wideLayout } from "../../lib/layouts";
import { useWidth } from "../../lib/useWidth";
import {
  aboveAt,
  arcAbove,
  azimuthOf,
  behindAt,
  edgeOf,
  elevationOf,
  middleOf,
  radiiAbove,
  turnedBy,
  type BedFace,
  type Point,
} from "./bedGeometry";
import { aroundAsHeard, aroundAsSet, aroundWords, isAround, movedAround, type Around } from "./bedSetting";
import { channelsOf, type BedLoudspeaker, type StagePlace } from "./report";
import { placeOf } from "./setting";

const HEIGHT_PX = 560;
const STEP_DEG = 5;

type BedViewProps = {
  face: BedFace;
  loudspeakers: BedLoudspeaker[];
  places: Map<string, StagePlace>;
  /** The bed that a strip can be placed in, by strip. */
  beds: Record<string, string>;
  strips: Strip[];
  /** Where some would stand after an edit. */
  foreseen: Map<string, Strip> | null;
  asSet: boolean;
  stale: boolean;
};

/** The bed around the listener: from above strips are arcs at their azimuth, from behind they are where they are low or
 * high. They are dragged there. */
export function BedView({ face, loudspeakers, places, beds, strips, foreseen, asSet, stale }: BedViewProps) {
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
        // What plays into a bus of two channels stands where that bus is placed.
        .filter((strip) => strip.kind !== "mix" && (strip.id in beds || wideLayout(strip)))
        .map((strip) => {
          const place = places.get(strip.id);
          const set = aroundAsSet(strip, channelsOf(place));
          return { strip, place, at: (asSet ? null : aroundAsHeard(place)) ?? set };
        }),
    [asSet, beds, places, strips],
  );
  const named = shown.map(({ strip, place, at }) => ({
    strip: strip.id,
    name: strip.name,
    ...at,
    wetDb: place?.wet_db ?? null,
    isReturn: strip.kind === "return",
  }));
  const radii = widthPx > 0 ? radiiAbove(plan, named) : new Map<string, number>();
  const wish = (changes: Map<string, Strip>): Wish => ({
    type: "set-strips",
    changes: [...changes.values()].map((strip): StripSettings => ({
      strip: strip.id,
      pan: placeOf(strip.pan),
    })) as never,
  });
  const moved = (id: string, by: Partial<Around>) =>
    new Map(
      shown
        .filter(({ strip }) => strip.id === id || (selected.has(id) && selected.has(strip.id)))
        .map(({ strip }) => [strip.id, { ...strip, pan: movedAround(strip.pan, by) }]),
    );
  const drag = (event: PointerEvent<SVGElement>, id: string, at: Around) => {
    event.stopPropagation();
    if (!selected.has(id)) focusStrip(id);
    else selectStrips([...selected], id);
    const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
    if (!box) return;
    const pointOf = (pointer: { clientX: number; clientY: number }): Point => ({
      x: pointer.clientX - box.left,
      y: pointer.clientY - box.top,
    });
    const start = pointOf(event);
    const dragged = (to: Point): Partial<Around> => {
      if (face === "above") return { azimuthDeg: turnedBy(azimuthOf(plan, to), -azimuthOf(plan, start)) };
      const across = ((to.x - start.x) / edgeOf(plan)) * 90;
      return {
        elevationDeg: elevationOf(plan, to) - elevationOf(plan, start),
        azimuthDeg: Math.abs(at.azimuthDeg) > 90 ? across : -across,
      };
    };
    let next = new Map<string, Strip>();
    followPointer(event as unknown as PointerEvent<HTMLElement>, {
      onMove: (pointer) => {
        next = moved(id, dragged(pointOf(pointer)));
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
    const step = event.shiftKey ? STEP_DEG / 5 : STEP_DEG;
    const side = { ArrowLeft: 1, ArrowRight: -1 }[event.key];
    const up = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    if (side) void edit(wish(moved(id, { azimuthDeg: side * step })));
    else if (up)
      void edit(
        wish(moved(id, face === "above" ? { spreadDeg: 2 * up * step } : { elevationDeg: up * step })),
      );
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const middle = middleOf(plan);
  const pointOf = (id: string, at: Around): Point =>
    face === "above" ? aboveAt(plan, radii.get(id) ?? 0, at.azimuthDeg) : behindAt(plan, at);
  return (
    <chakra.div ref={area} position="relative" height={`${HEIGHT_PX}px`} opacity={stale ? 0.6 : 1}>
      {widthPx > 0 && (
        <chakra.svg
          width={widthPx}
          height={HEIGHT_PX}
          role="group"
          aria-label={face === "above" ? "The bed from above" : "The bed from behind"}
          fontSize="small"
        >
          <Ground face={face} plan={plan} loudspeakers={loudspeakers} />
          <chakra.circle cx={middle.x} cy={middle.y} r="8" fill="none" stroke="ink" strokeWidth="1.5" />
          {face === "above" && (
            <chakra.path
              d={`M ${middle.x - 4} ${middle.y - 8} L ${middle.x} ${middle.y - 13} L ${middle.x + 4} ${middle.y - 8}`}
              fill="none"
              stroke="ink"
              strokeWidth="1.5"
            />
          )}
          {shown.map(({ strip, place, at }) => {
            const point = pointOf(strip.id, at);
            const isChosen = strip.id === focused || selected.has(strip.id);
            const thick = 4 + Math.max(0, Math.min(8, ((place?.bed?.rms_dbfs ?? -90) + 54) / 4));
            const ghost = (moving ?? foreseen)?.get(strip.id);
            const isBehind = Math.abs(at.azimuthDeg) > 90;
            const radius = radii.get(strip.id) ?? 0;
            const path = arcAbove(plan, radius, at.azimuthDeg, at.spreadDeg);
            const travel = place?.bed?.travel ?? [];
            return (
              <chakra.g
                key={strip.id}
                role="slider"
                tabIndex={0}
                aria-label={`${strip.name} in the bed`}
                aria-valuemin={face === "above" ? -180 : -90}
                aria-valuemax={face === "above" ? 180 : 90}
                aria-valuenow={Math.round(face === "above" ? at.azimuthDeg : at.elevationDeg)}
                aria-valuetext={`${aroundWords(at)}, ${Math.round(at.spreadDeg)}° wide`}
                cursor="grab"
                touchAction="none"
                onPointerDown={(event) => drag(event, strip.id, at)}
                onKeyDown={onKey(strip.id)}
                onFocus={() => strip.id !== focused && focusStrip(strip.id)}
                opacity={strip.mute ? 0.35 : 1}
              >
                <title>
                  {face === "above"
                    ? "Drag around the listener; arrow keys turn it and widen it"
                    : "Drag up and down; arrow keys raise it and turn it"}
                </title>
                {isAround(strip) && hasTravelled(travel) && (
                  <chakra.polyline
                    points={travel
                      .map(([azimuthDeg, elevationDeg]) => {
                        const there = pointOf(strip.id, { azimuthDeg, elevationDeg, spreadDeg: 0 });
                        return `${there.x.toFixed(1)},${there.y.toFixed(1)}`;
                      })
                      .join(" ")}
                    fill="none"
                    stroke={strip.color}
                    strokeWidth="1.5"
                    strokeDasharray="2 3"
                  />
                )}
                {face === "above" ? (
                  <>
                    <path
                      d={path}
                      fill="none"
                      stroke={strip.color}
                      strokeWidth={thick}
                      strokeDasharray={strip.kind === "return" ? "9 4" : undefined}
                    />
                    <path d={path} fill="none" stroke="transparent" strokeWidth={24} />
                  </>
                ) : (
                  <>
                    <circle
                      cx={point.x}
                      cy={point.y}
                      r={3 + thick / 2}
                      fill={isBehind ? "none" : strip.color}
                      stroke={strip.color}
                      strokeWidth="2"
                    />
                    <circle
                      cx={point.x}
                      cy={point.y}
                      r={Math.max(12, (Math.min(180, at.spreadDeg) / 180) * edgeOf(plan))}
                      fill="transparent"
                      stroke={strip.color}
                      strokeOpacity={at.spreadDeg > 180 ? 0 : 0.25}
                      pointerEvents={at.spreadDeg > 40 ? "none" : undefined}
                    />
                  </>
                )}
                {ghost && isAround(ghost) && (
                  <Mark point={pointOf(strip.id, aroundAsSet(ghost, channelsOf(place)))} />
                )}
                <chakra.text
                  x={point.x}
                  y={point.y - thick / 2 - 6}
                  textAnchor="middle"
                  fill={isChosen ? "focus" : "ink"}
                  fontWeight={isChosen ? "700" : "400"}
                >
                  {strip.name}
                </chakra.text>
              </chakra.g>
            );
          })}
        </chakra.svg>
      )}
      <chakra.p position="absolute" left="16px" bottom="10px" width="150px" color="quiet" fontSize="small">
        {face === "above"
          ? "Further out the wetter. Squares are loudspeakers."
          : "Hollow is behind the listener. Squares are loudspeakers."}
      </chakra.p>
    </chakra.div>
  );
}

/** Whether it went further than what moves otherwise does by itself. */
function hasTravelled(travel: [number, number][]): boolean {
  return travel.some(
    (one) => Math.max(...one.map((value, part) => Math.abs(value - (travel[0]?.[part] ?? 0)))) > 20,
  );
}

function Mark({ point }: { point: Point }) {
  return <chakra.circle cx={point.x} cy={point.y} r="7" fill="none" stroke="focus" strokeWidth="2" />;
}

/** The circle, its directions in words, and where the loudspeakers stand. */
function Ground({
  face,
  plan,
  loudspeakers,
}: {
  face: BedFace;
  plan: { widthPx: number; heightPx: number };
  loudspeakers: BedLoudspeaker[];
}) {
  const { x, y } = middleOf(plan);
  const edge = edgeOf(plan);
  const words: [string, number, number][] =
    face === "above"
      ? [
          ["front", 0, -1],
          ["behind", 0, 1],
          ["left", -1, 0],
          ["right", 1, 0],
        ]
      : [
          ["above", 0, -1],
          ["below", 0, 1],
          ["left", -1, 0],
          ["right", 1, 0],
        ];
  return (
    <g aria-hidden="true">
      <chakra.circle cx={x} cy={y} r={edge} fill="none" stroke="rule" />
      <chakra.line x1={x - edge} y1={y} x2={x + edge} y2={y} stroke="rule" strokeDasharray="2 4" />
      <chakra.line x1={x} y1={y - edge} x2={x} y2={y + edge} stroke="rule" strokeDasharray="2 4" />
      {words.map(([word, across, down]) => (
        <chakra.text
          key={word}
          x={x + across * (edge + 24)}
          y={y + down * (edge + 26) + 4}
          fill="quiet"
          textAnchor="middle"
        >
          {word}
        </chakra.text>
      ))}
      {loudspeakers.map(({ label, azimuth_deg, elevation_deg, is_lfe }) => {
        if (is_lfe) return null;
        const level = Math.cos((elevation_deg * Math.PI) / 180);
        const at =
          face === "above"
            ? aboveAt(plan, (edge + 10) * level, azimuth_deg)
            : behindAt(plan, { azimuthDeg: azimuth_deg, elevationDeg: elevation_deg });
        return (
          <chakra.rect
            key={label}
            x={at.x - 4}
            y={at.y - 4}
            width="8"
            height="8"
            fill={face === "behind" && Math.abs(azimuth_deg) > 90 ? "none" : "edge"}
            stroke="edge"
          />
        );
      })}
    </g>
  );
}
