import type { Flow, FlowEdge, FlowNode } from "../../api/types";

export const TRACK_PX = 172;
export const BOX_PX = 118;
const LEFT_PX = 62;
const RIGHT_PX = 14;
const LEAST_PITCH_PX = 12.5;
const MOST_PITCH_PX = 22;
export const HEAD_PX = 20;

export type Geometry = {
  pitchPx: number;
  heightPx: number;
  left: (node: FlowNode) => number;
  width: (node: FlowNode) => number;
  y: (row: number) => number;
  columnLeft: (column: number) => number;
};

/** Places of columns and rows in the room there is; rows never get too small to read. */
export function geometryOf(flow: Flow, widthPx: number, heightPx: number): Geometry {
  const pitchPx = Math.min(MOST_PITCH_PX, Math.max(LEAST_PITCH_PX, (heightPx - HEAD_PX) / flow.height));
  const n = flow.columns.length;
  const first = LEFT_PX + TRACK_PX;
  const step = n > 1 ? (widthPx - RIGHT_PX - BOX_PX - first) / (n - 1) : 0;
  const columnLeft = (column: number) => (column === 0 ? LEFT_PX : first + step * column);
  return {
    pitchPx,
    heightPx: flow.height * pitchPx + HEAD_PX,
    left: (node) => columnLeft(node.column),
    width: (node) => (node.column === 0 ? TRACK_PX : BOX_PX),
    y: (row) => HEAD_PX + row * pitchPx,
    columnLeft,
  };
}

export type Line = { points: [number, number, number, number, number, number, number, number] };

/** A connection as one Bezier curve: start, two controls, end. */
export function lineOf(edge: FlowEdge, nodes: Map<string, FlowNode>, place: Geometry): Line | null {
  const source = nodes.get(edge.source);
  const destination = nodes.get(edge.destination);
  if (!source || !destination) return null;
  const [y0, y1] = [place.y(edge.from_y), place.y(edge.to_y)];
  if (edge.kind === "key" && source.column === 0 && destination.column === 0) {
    const x = place.left(source) - 3;
    const out = x - 16 - Math.min(38, Math.abs(y1 - y0) * 0.22);
    return { points: [x, y0, out, y0, out, y1, x, y1] };
  }
  const x0 = place.left(source) + place.width(source);
  const x1 = place.left(destination);
  const reach = x1 > x0 ? Math.max(40, (x1 - x0) * 0.45) : 90;
  return { points: [x0, y0, x0 + reach, y0, x1 - reach, y1, x1, y1] };
}

const LABEL_AT = 0.3;

/** Where a curve's figure stands: nearer its beginning, where fewer strips are in the way. */
export function labelOf({ points: [x0, y0, x1, y1, x2, y2, x3, y3] }: Line): [number, number] {
  const [t, u] = [LABEL_AT, 1 - LABEL_AT];
  const at = (a: number, b: number, c: number, d: number) =>
    u ** 3 * a + 3 * u * u * t * b + 3 * u * t * t * c + t ** 3 * d;
  return [at(x0, x1, x2, x3), at(y0, y1, y2, y3)];
}

const THIN_DB = -48;
const DB_PER_PX = 3;

/** A ribbon's thickness by the level that runs in it. */
export function ribbonPx(levelDb: number): number {
  return Math.min(14, Math.max(1, (levelDb - THIN_DB) / DB_PER_PX));
}

/** Nodes and edges on the ways up- and downstream of a node; keys lead only one step. */
export function litBy(flow: Flow, id: string): { nodes: Set<string>; edges: Set<FlowEdge> } {
  const nodes = new Set([id]);
  const edges = new Set<FlowEdge>();
  for (const [from, to] of [
    ["source", "destination"],
    ["destination", "source"],
  ] as const) {
    const waiting = [id];
    const seen = new Set([id]);
    while (waiting.length) {
      const at = waiting.pop();
      for (const edge of flow.edges) {
        if (edge[from] !== at) continue;
        if (edge.kind === "key") {
          if (at === id) {
            edges.add(edge);
            nodes.add(edge[to]);
          }
          continue;
        }
        edges.add(edge);
        nodes.add(edge[to]);
        if (!seen.has(edge[to])) {
          seen.add(edge[to]);
          waiting.push(edge[to]);
        }
      }
    }
  }
  return { nodes, edges };
}
