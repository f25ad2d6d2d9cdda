import type { Move, Parameter } from "../api/types";
import { faderLevel, faderShare } from "./faderScale";
import { formatDb, formatHz, formatNumber } from "./format";

type Value = Move["points"][number]["value"];
type Scale = Pick<Parameter, "unit" | "scale">;
type Range = Scale & Pick<Parameter, "kind" | "minimum" | "maximum" | "none">;

const BEND = 8;

/** A segment's shape, straight at a bend of 0. */
export function bent(share: number, bend: number): number {
  const k = BEND * bend;
  return Math.abs(k) < 1e-9 ? share : Math.expm1(k * share) / Math.expm1(k);
}

/** A bend after one more push. */
export function bentBy(bend: number, by: number): number {
  return Math.round(100 * Math.min(1, Math.max(-1, bend + by))) / 100;
}

/** The value of a drawn curve at a time. */
export function valueAt(points: Move["points"], parameter: Scale, atS: number): Value {
  const place = points.findLastIndex((point) => point.at_s <= atS);
  const begin = points[Math.max(0, place)];
  const end = points[place + 1];
  if (!begin) return null;
  if (place < 0 || !end || typeof begin.value === "boolean") return begin.value;
  const share = bent((atS - begin.at_s) / (end.at_s - begin.at_s), begin.bend);
  return between(begin.value, end.value, parameter, share);
}

function between(begin: Value, end: Value, parameter: Scale, share: number): Value {
  if (typeof begin === "boolean" || typeof end === "boolean") return begin;
  if (begin === null || end === null) {
    if (parameter.unit !== "dB") return begin;
    const gain = (1 - share) * gainOf(begin) + share * gainOf(end);
    return gain > 0 ? 20 * Math.log10(gain) : null;
  }
  if (parameter.scale === "logarithmic" && begin > 0 && end > 0) return begin * (end / begin) ** share;
  return begin + share * (end - begin);
}

function gainOf(levelDb: number | null): number {
  return levelDb === null ? 0 : 10 ** (levelDb / 20);
}

/** How high a value is drawn, 0 to 1. */
export function toShare(parameter: Range, value: Value): number {
  if (typeof value === "boolean") return value ? 1 : 0;
  if (isLevel(parameter)) return faderShare(value);
  if (value === null) return parameter.unit === "dB" ? 0 : 1;
  const [low, high] = ends(parameter);
  const share = isLogarithmic(parameter)
    ? Math.log(Math.max(value, low) / low) / Math.log(high / low)
    : (value - low) / (high - low);
  return Math.min(1, Math.max(0, share));
}

/** The value drawn at a height, to a grain that can be typed. */
export function fromShare(parameter: Range, height: number): Value {
  const share = Math.min(1, Math.max(0, height));
  if (parameter.kind === "switch") return share > 0.5;
  if (isLevel(parameter)) return faderLevel(share);
  const [low, high] = ends(parameter);
  if (parameter.unit === "dB") return Math.round(10 * (low + share * (high - low))) / 10;
  const value = isLogarithmic(parameter) ? low * (high / low) ** share : low + share * (high - low);
  return Number(value.toPrecision(3));
}

function ends(parameter: Range): [number, number] {
  const low = parameter.minimum ?? 0;
  const high = parameter.maximum ?? 1;
  return [isLogarithmic(parameter) ? Math.max(low, high / 1e4) : low, high];
}

/** Whether it goes down to silence, as a fader does. */
function isLevel(parameter: Range): boolean {
  return parameter.unit === "dB" && parameter.none === "silent";
}

function isLogarithmic(parameter: Range): boolean {
  return parameter.scale === "logarithmic" && (parameter.maximum ?? 0) > 0;
}

/** A value as people read it, with its unit. */
export function showValue(parameter: Pick<Parameter, "unit" | "none">, value: Value): string {
  if (typeof value === "boolean") return value ? "on" : "off";
  if (value === null) return parameter.unit === "dB" ? "−∞ dB" : (parameter.none ?? "none");
  if (parameter.unit === "dB") return `${formatDb(value)} dB`;
  if (parameter.unit === "Hz") return `${formatHz(value)} Hz`;
  return `${formatNumber(value, Math.abs(value) >= 100 ? 0 : 2)} ${parameter.unit}`.trim();
}

/** Between which values a curve moves. */
export function rangeOf(points: Move["points"], parameter: Scale): { low: Value; high: Value } {
  const height = (value: Value) =>
    value === null ? (parameter.unit === "dB" ? -Infinity : Infinity) : Number(value);
  const values = points.map((point) => point.value).sort((one, other) => height(one) - height(other));
  return { low: values[0] ?? null, high: values.at(-1) ?? null };
}

/** "−6.0 … 0.0 dB": what a curve moves between, as people read it. */
export function showRange(
  parameter: Pick<Parameter, "unit" | "none" | "scale">,
  points: Move["points"],
): string {
  const { low, high } = rangeOf(points, parameter);
  const [from, to] = [showValue(parameter, low), showValue(parameter, high)];
  if (from === to) return to;
  return parameter.unit && from.endsWith(` ${parameter.unit}`)
    ? `${from.slice(0, -parameter.unit.length - 1)} … ${to}`
    : `${from} … ${to}`;
}

/** A curve with one more point; of a switch, from there on until its next point. */
export function pointSetAt(points: Move["points"], atS: number, value: Value): Move["points"] {
  const others = points.filter((point) => Math.abs(point.at_s - atS) > 1e-3);
  const place = others.findLastIndex((point) => point.at_s <= atS) + 1;
  return [...others.slice(0, place), { at_s: atS, value, bend: 0 }, ...others.slice(place)];
}
