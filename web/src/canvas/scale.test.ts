import { expect, test } from "vitest";

import { frequencyToPx, levelToPx, pxToFrequency, REFERENCE_DB } from "./scale";

test("the reference stands in the middle of the level scale", () => {
  expect(levelToPx(REFERENCE_DB, 200)).toBe(100);
});
test("levels beyond the scale stay on it", () => {
  expect(levelToPx(-200, 200)).toBe(0);
  expect(levelToPx(20, 200)).toBe(200);
});
test("frequencies go there and back, a decade taking a third", () => {
  expect(frequencyToPx(200, 300)).toBeCloseTo(100, 10);
  for (const frequencyHz of [20, 440, 20000]) {
    expect(pxToFrequency(frequencyToPx(frequencyHz, 777), 777)).toBeCloseTo(frequencyHz, 6);
  }
});
