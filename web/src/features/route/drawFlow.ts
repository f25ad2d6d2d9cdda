import type { Flow, FlowEdge, FlowNode } from "../../api/types";
import type { Colors } from "../../canvas/colors";
import { formatDb } from "../../lib/format";
import { lineOf, labelOf, ribbonPx, type Geometry } from "./geometry";

const FAINT = 0.16;
const FONT = "11px 'Atkinson Hyperlegible Mono Variable', monospace";

export type FlowPicture = {
  flow: Flow;
  place: Geometry;
  nodes: Map<string, FlowNode>;
  lit: { nodes: Set<string>; edges: Set<FlowEdge> } | null;
  /** Level that runs in a connection, dBFS. */
  levelDb: (edge: FlowEdge) => number;
  /** Between which levels a send moves; null if it rests. */
  travel: (edge: FlowEdge) => string | null;
  /** Gain reduction a key causes, dB; 0 if none is known. */
  reductionDb: (edge: FlowEdge) => number;
};

/** Columns and connections; the strips themselves are elements above. */
export function paintFlow(
  context: CanvasRenderingContext2D,
  heightPx: number,
  colors: Colors,
  picture: FlowPicture,
): void {
  const { flow, place, nodes, lit } = picture;
  flow.columns.forEach((_, column) => {
    if (column === 0) return;
    context.fillStyle = colors.rule;
    context.globalAlpha = 0.6;
    context.fillRect(place.columnLeft(column) - 14, 0, 1, heightPx);
    context.globalAlpha = 1;
  });
  const isLit = (edge: FlowEdge) => !lit || lit.edges.has(edge);
  const ordered = [...flow.edges].sort((a, b) => Number(isLit(a)) - Number(isLit(b)));
  const labels: [FlowEdge, string, string][] = [];
  for (const edge of ordered) {
    const line = lineOf(edge, nodes, place);
    if (!line) continue;
    const shines = isLit(edge);
    context.globalAlpha = shines ? (lit ? 1 : edge.kind === "output" ? 0.5 : 0.75) : FAINT;
    if (!edge.on) context.globalAlpha *= 0.4;
    context.strokeStyle =
      edge.kind === "output" ? colors.ink : edge.kind === "send" ? colors.send : colors.key;
    if (edge.kind === "output") {
      context.setLineDash([]);
      context.lineCap = "butt";
      context.lineWidth = ribbonPx(picture.levelDb(edge));
    } else if (edge.kind === "send") {
      context.setLineDash([7, 4]);
      context.lineWidth = Math.max(1.2, ribbonPx(picture.levelDb(edge)) * 0.35);
    } else {
      context.setLineDash([1.5, 4]);
      context.lineCap = "round";
      context.lineWidth = 2.2;
    }
    const [x0, y0, x1, y1, x2, y2, x3, y3] = line.points;
    context.beginPath();
    context.moveTo(x0, y0);
    context.bezierCurveTo(x1, y1, x2, y2, x3, y3);
    context.stroke();
    context.setLineDash([]);
    context.lineCap = "butt";
    if (edge.kind === "key") arrow(context, x3, y3, colors.key);
    if (lit && shines && edge.kind !== "output") {
      const travel = picture.travel(edge);
      const text =
        edge.kind === "send"
          ? travel
            ? `∿ ${travel}`
            : formatDb(edge.level_db)
          : formatDb(-picture.reductionDb(edge) || null);
      if (text !== "−∞" || edge.kind === "send")
        labels.push([edge, text, edge.kind === "send" ? colors.send : colors.key]);
    }
  }
  context.globalAlpha = 1;
  context.font = FONT;
  for (const [edge, text, color] of labels) {
    const line = lineOf(edge, nodes, place);
    if (!line) continue;
    const [x, y] = labelOf(line);
    const width = context.measureText(text).width;
    context.fillStyle = colors.sheet;
    context.fillRect(x - width / 2 - 3, y - 7, width + 6, 14);
    context.fillStyle = color;
    context.fillText(text, x - width / 2, y + 4);
  }
}

function arrow(context: CanvasRenderingContext2D, x: number, y: number, color: string): void {
  context.fillStyle = color;
  context.beginPath();
  context.moveTo(x, y);
  context.lineTo(x - 6, y - 4);
  context.lineTo(x - 6, y + 4);
  context.fill();
}
