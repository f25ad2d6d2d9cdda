import { chakra } from "@chakra-ui/react";
import { useCallback, useRef, useState, type KeyboardEvent, type MouseEvent, type PointerEvent } from "react";

import type { CurveNode, Duck, Wish } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { useCanvas } from "../../canvas/useCanvas";
import { CurvePoint } from "../../controls/CurvePoint";
import { followPointer } from "../../controls/followPointer";
import { formatNumber } from "../../lib/format";
import { bentBy } from "../../lib/moves";
import { useWidth } from "../../lib/useWidth";
import type { DuckReport } from "./report";
import { CURVE_MARGIN_PX, openAt, paintCurve, yOfOpen } from "./drawCurve";

const HEIGHT_PX = 150;
const BEND_PX = 80;
const BEND_STEP = 0.1;
const STEP = 0.02;
const SHOWN_LENGTHS = 1.6;

/** A duck's curve over one length: nodes that are dragged, bent, added and taken away. */
export function CurveEditor({ duck, report }: { duck: Duck; report: DuckReport | null }) {
  const { live, edit, grid } = useOpen();
  const [drawn, setDrawn] = useState<CurveNode[] | null>(null);
  const area = useRef<HTMLDivElement>(null);
  const lengthPx = useWidth(area) / SHOWN_LENGTHS;
  const curve = drawn ?? duck.curve;
  const { ref } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) =>
        lengthPx > 0 && paintCurve(context, widthPx, heightPx, colors, { curve, lengthPx, report, grid }),
      [curve, lengthPx, report, grid],
    ),
    false,
  );
  const wish = (next: CurveNode[]): Wish => ({ type: "set-duck", duck: duck.id, curve: next });
  const preview = (next: CurveNode[]) => {
    setDrawn(next);
    live.preview(wish(next));
  };
  const keep = (next: CurveNode[]) => {
    setDrawn(next);
    void edit(wish(next)).then(() => setDrawn(null));
  };
  const revert = () => {
    setDrawn(null);
    live.revert();
  };
  const follow = (event: PointerEvent<HTMLElement>, changed: (dxPx: number, dyPx: number) => CurveNode[]) => {
    let next = curve;
    followPointer(event, {
      onMove: (_, dxPx, dyPx) => {
        next = changed(dxPx, dyPx);
        preview(next);
      },
      onEnd: (released) => (released ? keep(next) : revert()),
    });
  };
  const innerPx = HEIGHT_PX - 2 * CURVE_MARGIN_PX;
  const moved = (index: number, at: number, open: number): CurveNode[] => {
    const before = duck.curve[index - 1]?.at ?? 0;
    const behind = duck.curve[index + 1]?.at ?? 1;
    const held = {
      at: round(Math.min(behind, Math.max(before, at))),
      open: round(Math.min(1, Math.max(0, open))),
    };
    return duck.curve.map((node, place) => (place === index ? { ...node, ...held } : node));
  };
  const bending = (index: number, by: number) =>
    duck.curve.map((node, place) => (place === index ? { ...node, bend: bentBy(node.bend, by) } : node));
  const placeOf = (event: MouseEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    return {
      at: (event.clientX - box.left) / lengthPx,
      open: 1 - (event.clientY - box.top - CURVE_MARGIN_PX) / innerPx,
    };
  };
  const add = (event: MouseEvent<HTMLElement>) => {
    const { at, open } = placeOf(event);
    if (at > 1) return;
    const place = duck.curve.findLastIndex((node) => node.at <= at) + 1;
    const node = { at: round(at), open: round(Math.min(1, Math.max(0, open))), bend: 0 };
    keep([...duck.curve.slice(0, place), node, ...duck.curve.slice(place)]);
  };
  const bend = (event: PointerEvent<HTMLElement>) => {
    const { at } = placeOf(event);
    const index = duck.curve.findLastIndex((node) => node.at <= at);
    const [begin, end] = [duck.curve[index], duck.curve[index + 1]];
    if (!begin || !end) return;
    const rises = end.open >= begin.open;
    follow(event, (_, dyPx) => bending(index, (rises ? dyPx : -dyPx) / BEND_PX));
  };
  const onKey = (index: number, node: CurveNode) => (event: KeyboardEvent) => {
    const along = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    const up = { ArrowUp: 1, ArrowDown: -1 }[event.key];
    const by = { "[": -BEND_STEP, "]": BEND_STEP }[event.key];
    const step = event.shiftKey ? STEP / 5 : STEP;
    if (along) keep(moved(index, node.at + along * step, node.open));
    else if (up) keep(moved(index, node.at, node.open + up * step));
    else if (by) keep(bending(index, by));
    else if ((event.key === "Delete" || event.key === "Backspace") && duck.curve.length > 1)
      keep(duck.curve.filter((_, place) => place !== index));
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <chakra.div
      ref={area}
      role="group"
      aria-label={`Curve of ${duck.name}`}
      position="relative"
      flexShrink="0"
      marginRight="12px"
      height={`${HEIGHT_PX}px`}
      touchAction="none"
      title="Double-click adds a node; drag the curve to bend it"
      onDoubleClick={add}
      onPointerDown={bend}
    >
      <chakra.canvas ref={ref} width="100%" height="100%" aria-hidden />
      {curve.map((node, index) => (
        <CurvePoint
          key={index}
          label={`Node ${index + 1} of ${curve.length}: ${formatNumber(100 * node.open, 0)} % open at ${formatNumber(100 * node.at, 0)} %`}
          leftPx={node.at * lengthPx}
          topPx={yOfOpen(node.open, HEIGHT_PX)}
          idle={false}
          onPointerDown={(event) => {
            event.stopPropagation();
            follow(event, (dxPx, dyPx) =>
              moved(index, node.at + dxPx / lengthPx, node.open - dyPx / innerPx),
            );
          }}
          onKeyDown={onKey(index, node)}
        />
      ))}
      <chakra.span
        position="absolute"
        left="0"
        bottom="-2px"
        color="quiet"
        fontSize="small"
        pointerEvents="none"
      >
        {formatNumber(100 * openAt(curve, 0), 0)} % open at each tick
      </chakra.span>
    </chakra.div>
  );
}

function round(value: number): number {
  return Math.round(1000 * value) / 1000;
}
