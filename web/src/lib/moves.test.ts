import { describe, expect, test } from "vitest";

import vectors from "../../../tests/vectors/moves.json";
import { fromShare, showValue, toShare, valueAt } from "./moves";

const LEVEL = {
  unit: "dB",
  scale: "linear",
  kind: "number",
  minimum: -120,
  maximum: 24,
  none: "silent",
} as const;
const CUT = {
  unit: "Hz",
  scale: "logarithmic",
  kind: "number",
  minimum: 10,
  maximum: 22000,
  none: null,
} as const;
const SWITCH = {
  unit: "",
  scale: "linear",
  kind: "switch",
  minimum: null,
  maximum: null,
  none: null,
} as const;

describe("drawn curves", () => {
  test.each(vectors.values)("$points at $at_s s", ({ points, unit, scale, at_s, value }) => {
    const drawn = points.map(([at, level, bend]) => ({
      at_s: at ?? 0,
      value: level ?? null,
      bend: bend ?? 0,
    }));
    const found = valueAt(drawn, { unit, scale: scale as "linear" | "logarithmic" }, at_s);
    if (value === null) expect(found).toBeNull();
    else expect(found).toBeCloseTo(value, 9);
  });
  test("a switch steps at its points", () => {
    const points = [
      { at_s: 0, value: false, bend: 0 },
      { at_s: 1, value: true, bend: 0 },
    ];
    expect([0.5, 1, 2].map((at) => valueAt(points, SWITCH, at))).toEqual([false, true, true]);
  });
  test("what is drawn at a value's height is the value again", () => {
    for (const levelDb of [-48, -6, 0, 12]) expect(fromShare(LEVEL, toShare(LEVEL, levelDb))).toBe(levelDb);
    expect(fromShare(LEVEL, 0)).toBeNull();
    expect(fromShare(CUT, toShare(CUT, 440))).toBeCloseTo(440, 0);
    expect(fromShare(SWITCH, toShare(SWITCH, true))).toBe(true);
  });
  test("values are shown with their units", () => {
    expect(showValue(LEVEL, null)).toBe("−∞ dB");
    expect(showValue(LEVEL, -6)).toBe("−6.0 dB");
    expect(showValue(CUT, 2600)).toBe("2.6k Hz");
    expect(showValue(SWITCH, true)).toBe("on");
  });
});
