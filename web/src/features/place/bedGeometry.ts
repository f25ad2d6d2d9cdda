/** A bed around the listener, as a circle: from above with the front at the top, or from behind with up at the top. */
export type BedPlan = { widthPx: number; heightPx: number };
export type BedFace = "above" | "behind";
export type Point = { x: number; y: number };
export type Direction = { azimuthDeg: number; elevationDeg: number };

const MARGIN_PX = 46;
const radians = (degrees: number) => (degrees * Math.PI) / 180;
const degrees = (angle: number) => (angle * 180) / Math.PI;

export function middleOf({ widthPx, heightPx }: BedPlan): Point {
  return { x: widthPx / 2, y: heightPx / 2 };
}

/** The radius of the circle that everything lies in. */
export function edgeOf({ widthPx, heightPx }: BedPlan): number {
  return Math.min(widthPx, heightPx) / 2 - MARGIN_PX;
}

/** From above: where an azimuth is, at a radius. */
export function aboveAt(plan: BedPlan, radius: number, azimuthDeg: number): Point {
  const { x, y } = middleOf(plan);
  return {
    x: x - radius * Math.sin(radians(azimuthDeg)),
    y: y - radius * Math.cos(radians(azimuthDeg)),
  };
}

/** The azimuth that a point stands for, from above. */
export function azimuthOf(plan: BedPlan, point: Point): number {
  const { x, y } = middleOf(plan);
  return degrees(Math.atan2(x - point.x, y - point.y));
}

/** From behind: left and right, low and high; what is in front and what is behind the listener cover each other. */
export function behindAt(plan: BedPlan, { azimuthDeg, elevationDeg }: Direction): Point {
  const { x, y } = middleOf(plan);
  const level = Math.cos(radians(elevationDeg));
  return {
    x: x - edgeOf(plan) * Math.sin(radians(azimuthDeg)) * level,
    y: y - edgeOf(plan) * Math.sin(radians(elevationDeg)),
  };
}

/** The elevation that a point stands for, from behind. */
export function elevationOf(plan: BedPlan, point: Point): number {
  const up = (middleOf(plan).y - point.y) / edgeOf(plan);
  return degrees(Math.asin(Math.max(-1, Math.min(1, up))));
}

/** An azimuth turned by so much, between -180 and 180. */
export function turnedBy(azimuthDeg: number, byDeg: number): number {
  const turned = (((azimuthDeg + byDeg + 180) % 360) + 360) % 360;
  return Math.round(10 * (turned - 180)) / 10;
}

/** An arc from above, at least wide enough to be seen. */
export function arcAbove(plan: BedPlan, radius: number, azimuthDeg: number, spreadDeg: number): string {
  const half = Math.max(degrees(9 / radius), Math.min(180, spreadDeg / 2));
  const steps = Math.max(2, Math.ceil(half / 4));
  return Array.from({ length: 2 * steps + 1 }, (_, step) => {
    const { x, y } = aboveAt(plan, radius, azimuthDeg + (half * (step - steps)) / steps);
    return `${step ? "L" : "M"} ${x.toFixed(1)} ${y.toFixed(1)}`;
  }).join(" ");
}

export type Named = Direction & { strip: string; name: string; wetDb: number | null; isReturn: boolean };

const ROW_PX = 22;
const NEAREST_PX = 52;
const LETTER_PX = 6.6;
/** From how wet on a strip stands how far out. */
const ZONES: [number, number][] = [
  [-Infinity, 0.42],
  [-24, 0.58],
  [-18, 0.7],
  [-12, 0.82],
];

/** Radii from above by strip: the wetter the further away, and nobody stands on another's name. */
export function radiiAbove(plan: BedPlan, strips: Named[]): Map<string, number> {
  const edge = edgeOf(plan);
  const taken: { point: Point; halfPx: number }[] = [];
  const found = new Map<string, number>();
  for (const strip of [...strips].sort((one, other) => Number(other.isReturn) - Number(one.isReturn))) {
    const zone = ZONES.findLast(([fromDb]) => (strip.wetDb ?? -Infinity) >= fromDb);
    const start = strip.isReturn ? edge : edge * (zone?.[1] ?? 0.42);
    const halfPx = (strip.name.length * LETTER_PX) / 2 + 3;
    const free = (radius: number) => {
      const point = aboveAt(plan, radius, strip.azimuthDeg);
      return taken.every(
        (other) =>
          Math.abs(other.point.y - point.y) >= ROW_PX - 2 ||
          Math.abs(other.point.x - point.x) > other.halfPx + halfPx,
      );
    };
    const rows = Array.from({ length: 24 }, (_, row) => (row * ROW_PX) / 2);
    const radius =
      rows
        .flatMap((away) => [start - away, start + away])
        .find((at) => at >= NEAREST_PX && at <= edge && free(at)) ?? start;
    taken.push({ point: aboveAt(plan, radius, strip.azimuthDeg), halfPx });
    found.set(strip.strip, radius);
  }
  return found;
}
