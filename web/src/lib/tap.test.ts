import { describe, expect, test } from "vitest";

import { tapped, tempoOf } from "./tap";

const at = (bpm: number, n: number, late: number[] = []) =>
  Array.from({ length: n }, (_, index) => 1000 + (index * 60000) / bpm + (late[index] ?? 0));

describe("tapping a tempo", () => {
  test.each([60, 96, 128.4, 200])("steady taps at %s bpm", (bpm) =>
    expect(tempoOf(at(bpm, 8))).toBeCloseTo(bpm, 1),
  );
  test("hands that are a little off change little", () =>
    expect(
      Math.abs((tempoOf(at(120, 12, [0, 12, -9, 5, -14, 8, 3, -6, 10, -4, 7, 0])) ?? 0) - 120),
    ).toBeLessThan(0.6));
  test("two taps are not enough", () => expect(tempoOf(at(120, 2))).toBeNull());
  test("a pause begins anew", () => expect(tapped(at(120, 5), 60000)).toEqual([60000]));
  test("only the last dozen counts", () => expect(at(120, 30).reduce<number[]>(tapped, [])).toHaveLength(12));
});
