import { chakra } from "@chakra-ui/react";
import { useCallback, useContext, useEffect, useMemo, useRef, useState, type PointerEvent } from "react";

import type { Flow, FlowEdge, FlowNode } from "../../api/types";
import { stageOf, useMeasured } from "../../app/measurement";
import { useOpen, useTransport } from "../../app/SessionContext";
import { foldFolder, focusStrip, useView } from "../../app/store";
import type { Colors } from "../../canvas/colors";
import { useCanvas } from "../../canvas/useCanvas";
import { followPointer } from "../../controls/followPointer";
import { OverTimeContext } from "../../controls/overTime";
import { formatReading } from "../../lib/format";
import { readMeter, SILENT_DB, type Stage } from "../../live/frames";
import { connect } from "./connecting";
import { paintFlow } from "./drawFlow";
import { geometryOf, litBy } from "./geometry";

const TAP_STAGE = { "pre-chain": "source", "pre-fader": "pre-fader", "post-fader": "post-fader" } as const;
const WRITE_EVERY_MS = 120;

/** The flow: strips in columns, ribbons as thick as what runs in them, the ways of one strip lit. */
export function FlowView({ flow }: { flow: Flow }) {
  const open = useOpen();
  const { live, strips } = open;
  const { playing } = useTransport();
  const measured = useMeasured((store) => store.measured);
  const focused = useView((view) => view.focused);
  const area = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState({ width: 1100, height: 420 });
  const [pointed, setPointed] = useState<string | null>(null);
  const [wire, setWire] = useState<{ from: string; x: number; y: number } | null>(null);
  const nodes = useMemo(() => new Map(flow.nodes.map((node) => [node.id, node])), [flow]);
  const place = useMemo(() => geometryOf(flow, room.width, room.height), [flow, room]);
  const ofFocused = useMemo(
    () => flow.nodes.find((node) => node.members.includes(focused))?.id ?? null,
    [flow, focused],
  );
  const shining = pointed ?? ofFocused;
  const lit = useMemo(
    () => (shining && nodes.has(shining) ? litBy(flow, shining) : null),
    [flow, nodes, shining],
  );

  useEffect(() => {
    const element = area.current;
    if (!element) return;
    const observer = new ResizeObserver(() =>
      setRoom({ width: element.clientWidth, height: element.clientHeight }),
    );
    observer.observe(element);
    return () => observer.disconnect();
  }, []);

  /** Peak of a strip at a stage: what sounds now, else what the whole song was measured at. */
  const peakDb = useCallback(
    (strip: string, stage: Stage): number => {
      const frame = live.frame();
      const index = live.transport.get().strips.indexOf(strip);
      if (frame && index >= 0) return readMeter(frame, index, stage).holdDb;
      return stageOf(measured, strip, stage)?.sample_peak_dbfs ?? SILENT_DB;
    },
    [live, measured],
  );
  const { curves } = useContext(OverTimeContext);
  const curveOf = useCallback(
    (edge: FlowEdge) => curves.get(`strips/${edge.strip}/sends/${edge.send}/level_db`),
    [curves],
  );
  const travel = useCallback((edge: FlowEdge) => curveOf(edge)?.range ?? null, [curveOf]);
  const levelDb = useCallback(
    (edge: FlowEdge) => {
      const curve = curveOf(edge);
      const gainDb = curve ? curve.now() : edge.level_db;
      return peakDb(edge.strip, TAP_STAGE[edge.tap]) + (typeof gainDb === "number" ? gainDb : SILENT_DB);
    },
    [curveOf, peakDb],
  );
  const reductionDb = useCallback(
    (edge: FlowEdge) => {
      const index = live.transport.get().strips.indexOf(edge.strip);
      return live.frame()?.reductions[index] ?? 0;
    },
    [live],
  );

  const { ref: canvas } = useCanvas(
    useCallback(
      (context: CanvasRenderingContext2D, _widthPx: number, heightPx: number, colors: Colors) =>
        paintFlow(context, heightPx, colors, { flow, place, nodes, lit, levelDb, travel, reductionDb }),
      [flow, place, nodes, lit, levelDb, travel, reductionDb],
    ),
    playing && "gliding",
  );

  useEffect(() => {
    const write = () =>
      area.current?.querySelectorAll<HTMLElement>("[data-flow-level]").forEach((figure) => {
        const text = formatReading(peakDb(figure.dataset.flowLevel ?? "", "post-fader"));
        if (figure.textContent !== text) figure.textContent = text;
      });
    write();
    const timer = setInterval(write, WRITE_EVERY_MS);
    return () => clearInterval(timer);
  }, [peakDb, flow]);

  const startWire = (node: FlowNode) => (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    event.stopPropagation();
    const from = node.members[0] ?? node.id;
    const inside = (moving: { clientX: number; clientY: number }) => {
      const box = area.current?.getBoundingClientRect();
      const scrolled = area.current?.scrollTop ?? 0;
      return { x: moving.clientX - (box?.left ?? 0), y: moving.clientY - (box?.top ?? 0) + scrolled };
    };
    const goalAt = (moving: globalThis.PointerEvent) =>
      document
        .elementsFromPoint(moving.clientX, moving.clientY)
        .map((element) => (element as HTMLElement).closest<HTMLElement>("[data-flow-node]")?.dataset.flowNode)
        .find((id) => id !== undefined && id !== node.id);
    followPointer(event, {
      onMove: (pointer) => {
        setWire({ from: node.id, ...inside(pointer) });
        setPointed(goalAt(pointer) ?? node.id);
      },
      onEnd: (released) => {
        setWire(null);
        setPointed(null);
        const goal = released && goalAt(released);
        if (goal && strips.has(goal)) void connect(open, from, goal);
      },
    });
  };

  const origin = wire && nodes.get(wire.from);
  return (
    <chakra.div
      ref={area}
      position="relative"
      flex="1"
      minHeight="0"
      overflowY="auto"
      overflowX="hidden"
      role="group"
      aria-label="Flow"
    >
      <chakra.div position="relative" minHeight="100%" style={{ height: `${place.heightPx}px` }}>
        <chakra.canvas ref={canvas} position="absolute" inset="0" width="100%" height="100%" />
        {flow.columns.map((column, index) => (
          <chakra.span
            key={index}
            position="absolute"
            top="2px"
            fontSize="small"
            color="quiet"
            style={{ left: `${place.columnLeft(index)}px` }}
          >
            {column.name}
          </chakra.span>
        ))}
        {flow.nodes.map((node) => (
          <Node
            key={node.id}
            node={node}
            left={place.left(node)}
            width={place.width(node)}
            top={place.y(node.y - node.height / 2)}
            height={node.height * place.pitchPx}
            focused={node.members.includes(focused)}
            dim={lit !== null && !lit.nodes.has(node.id)}
            onPoint={setPointed}
            onWire={startWire(node)}
          />
        ))}
        {wire && origin && (
          <chakra.svg position="absolute" inset="0" width="100%" height="100%" pointerEvents="none">
            <chakra.line
              x1={place.left(origin) + place.width(origin)}
              y1={place.y(origin.y)}
              x2={wire.x}
              y2={wire.y}
              stroke="focus"
              strokeWidth="2"
              strokeDasharray="3 3"
            />
          </chakra.svg>
        )}
      </chakra.div>
    </chakra.div>
  );
}

type NodeProps = {
  node: FlowNode;
  left: number;
  width: number;
  top: number;
  height: number;
  focused: boolean;
  dim: boolean;
  onPoint: (id: string | null) => void;
  onWire: (event: PointerEvent<HTMLElement>) => void;
};

function Node({ node, left, width, top, height, focused, dim, onPoint, onWire }: NodeProps) {
  const boxed = node.column > 0;
  const single = node.members.length === 1 ? node.members[0] : undefined;
  return (
    <chakra.div
      data-flow-node={single ?? ""}
      position="absolute"
      display="flex"
      alignItems="center"
      border={boxed ? "1px solid" : "none"}
      borderColor={focused ? "focus" : dim ? "rule" : "ink"}
      borderRadius="small"
      bg={focused ? "wash" : boxed ? "card" : "transparent"}
      opacity={dim ? 0.55 : 1}
      style={{ left: `${left}px`, top: `${top}px`, width: `${width}px`, height: `${height}px` }}
      onPointerEnter={() => onPoint(node.id)}
      onPointerLeave={() => onPoint(null)}
    >
      <chakra.button
        type="button"
        aria-label={`${node.name}, ${node.kind}`}
        aria-pressed={focused}
        display="flex"
        alignItems="center"
        gap="6px"
        width="100%"
        height="100%"
        padding={boxed ? "0 9px 0 8px" : "0 10px 0 4px"}
        overflow="hidden"
        cursor="pointer"
        fontSize={height < 16 ? "small" : "body"}
        fontWeight={focused || node.kind === "mix" ? "700" : "400"}
        onClick={() =>
          node.kind === "folder" ? foldFolder(node.id.replace("folder ", "")) : single && focusStrip(single)
        }
      >
        <chakra.span
          width="5px"
          height={boxed ? "15px" : "12px"}
          flexShrink="0"
          style={{ background: node.kind === "mix" ? "currentColor" : node.color }}
        />
        <chakra.span
          flex="1"
          textAlign="left"
          overflow="hidden"
          textOverflow="ellipsis"
          whiteSpace="nowrap"
          lineHeight="1"
        >
          {node.kind === "folder" ? `▸ ${node.name} (${node.members.length})` : node.name}
        </chakra.span>
        {single && (
          <chakra.span textStyle="number" fontSize="small" data-flow-level={single}>
            −∞
          </chakra.span>
        )}
      </chakra.button>
      {single && node.kind !== "mix" && (
        <chakra.span
          title={`Drag from ${node.name} to another strip`}
          data-flow-port={single}
          position="absolute"
          right="-7px"
          top="50%"
          width="14px"
          height="14px"
          marginTop="-7px"
          display="grid"
          placeItems="center"
          cursor="crosshair"
          touchAction="none"
          onPointerDown={onWire}
        >
          <chakra.span width="6px" height="6px" borderRadius="50%" bg={focused ? "focus" : "ink"} />
        </chakra.span>
      )}
    </chakra.div>
  );
}
