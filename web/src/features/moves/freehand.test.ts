import { describe, expect, test } from "vitest";

import { withSample, type Sample } from "./freehand";

const stroke = (...times: number[]): Sample[] =>
  times.reduce<Sample[]>((samples, at_s, value) => withSample(samples, { at_s, value }), []);

describe("a freehand stroke", () => {
  test("goes on to the right", () => expect(stroke(1, 2, 3).map((sample) => sample.at_s)).toEqual([1, 2, 3]));
  test("is drawn over where the pointer goes back", () => {
    expect(stroke(1, 2, 3, 1.5)).toEqual([
      { at_s: 1, value: 0 },
      { at_s: 1.5, value: 3 },
    ]);
  });
  test("begins earlier where the pointer goes beyond its beginning", () => {
    expect(stroke(2, 3, 1).map((sample) => sample.at_s)).toEqual([1, 3]);
  });
  test("is always in order of time", () => {
    const times = stroke(5, 7, 6, 8, 2, 9, 1, 4).map((sample) => sample.at_s);
    expect(times).toEqual([...times].sort((one, other) => one - other));
  });
});
