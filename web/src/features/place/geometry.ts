/** The plan of the stage: the listener below, left and right 45 degrees to either side, further away the wetter. */
export type Plan = { widthPx: number; heightPx: number };
export type Point = { x: number; y: number };

const HALF_ANGLE_DEG = 45;
const LISTENER_PX = 92;
const TOP_PX = 62;
/** Room for the words at either side. */
const SIDE_PX = 34;
/** From where on a strip counts as how wet, and where its zone begins on the way from the listener to the top. */
export const ZONES: { fromDb: number; words: string; at: number }[] = [
  { fromDb: -Infinity, words: "dry", at: 0.1 },
  { fromDb: -24, words: "−24 dB wet", at: 0.44 },
  { fromDb: -18, words: "−18", at: 0.61 },
  { fromDb: -12, words: "−12", at: 0.78 },
];
const RETURNS_AT = 1;
const ROW_PX = 25;
const ROWS = 30;
/** Nobody stands on the listener. */
const NEAREST_PX = 55;
const LETTER_PX = 6.6;

export function listenerOf({ widthPx, heightPx }: Plan): Point {
  return { x: widthPx / 2, y: heightPx - LISTENER_PX + 34 };
}

/** How far from the listener a share of the way to the top is. */
export function radiusAt(plan: Plan, share: number): number {
  const most = Math.min(listenerOf(plan).y - TOP_PX, (plan.widthPx / 2 - SIDE_PX) / Math.sin(angleOf(1)));
  return 60 + share * (most - 60);
}

export function angleOf(position: number): number {
  return (Math.max(-1, Math.min(1, position)) * HALF_ANGLE_DEG * Math.PI) / 180;
}

export function pointAt(plan: Plan, radius: number, position: number): Point {
  const { x, y } = listenerOf(plan);
  return { x: x + radius * Math.sin(angleOf(position)), y: y - radius * Math.cos(angleOf(position)) };
}

/** The position that a point of the plan stands for. */
export function positionOf(plan: Plan, point: Point): number {
  const { x, y } = listenerOf(plan);
  const angle = Math.atan2(point.x - x, Math.max(1, y - point.y));
  return Math.max(-1, Math.min(1, (angle * 180) / Math.PI / HALF_ANGLE_DEG));
}

/** An arc as a path, at least wide enough to be seen. */
export function arcPath(plan: Plan, radius: number, position: number, reach: number): string {
  const least = 9 / radius / angleOf(1);
  const half = Math.max(least, reach);
  const from = pointAt(plan, radius, position - half);
  const to = pointAt(plan, radius, position + half);
  return `M ${from.x.toFixed(1)} ${from.y.toFixed(1)} A ${radius.toFixed(1)} ${radius.toFixed(1)} 0 0 1 ${to.x.toFixed(1)} ${to.y.toFixed(1)}`;
}

export type Placed = {
  strip: string;
  position: number;
  reach: number;
  wetDb: number | null;
  isReturn: boolean;
  name: string;
};

/** Radii by strip: the zone is how wet it is, and inside of it nobody stands on another's name. */
export function radiiOf(plan: Plan, strips: Placed[]): Map<string, number> {
  const taken: { radius: number; fromPx: number; toPx: number }[] = [];
  const found = new Map<string, number>();
  const order = [...strips].sort((one, other) => orderOf(one) - orderOf(other) || one.reach - other.reach);
  for (const strip of order) {
    const start = radiusAt(plan, strip.isReturn ? RETURNS_AT : (ZONES[zoneOf(strip)]?.at ?? 0));
    const spanAt = (at: number) => {
      const middle = pointAt(plan, at, strip.position).x;
      const halfPx = Math.max((strip.name.length * LETTER_PX) / 2, at * angleOf(strip.reach));
      return { fromPx: middle - halfPx - 4, toPx: middle + halfPx + 4 };
    };
    const collides = (at: number) =>
      taken.some(
        (other) =>
          Math.abs(other.radius - at) < ROW_PX - 1 &&
          spanAt(at).fromPx < other.toPx &&
          spanAt(at).toPx > other.fromPx,
      );
    // The nearest free row, outwards first.
    const rows = Array.from({ length: ROWS }, (_, row) => (row * ROW_PX) / 2);
    const radius =
      rows
        .flatMap((away) => [start + away, start - away])
        .find((at) => at >= NEAREST_PX && at <= radiusAt(plan, 1) && !collides(at)) ?? start;
    taken.push({ radius, ...spanAt(radius) });
    found.set(strip.strip, radius);
  }
  return found;
}

/** Returns first, which have the outermost rows to themselves. */
function orderOf(strip: Placed): number {
  return strip.isReturn ? -1 : zoneOf(strip);
}

function zoneOf({ wetDb, isReturn }: Placed): number {
  if (isReturn) return ZONES.length;
  return wetDb === null
    ? 0
    : Math.max(
        0,
        ZONES.findLastIndex((zone) => wetDb >= zone.fromDb),
      );
}
