import { describe, expect, test } from "vitest";

import { formatDb, formatHz, formatNumber, formatReading, formatTime, parseNumber } from "./format";

describe("numbers as people read them", () => {
  test.each([
    [-3.25, "−3.3"],
    [0, "0.0"],
    [-0.04, "0.0"],
    [6, "6.0"],
    [null, "−∞"],
    [-150, "−∞"],
  ])("a level of %s", (levelDb, shown) => expect(formatDb(levelDb)).toBe(shown));
  test("what nobody can hear reads as silence", () => {
    expect(formatReading(-99.9)).toBe("−99.9");
    expect(formatReading(-100.1)).toBe("−∞");
  });
  test("what rounds to nothing has no sign", () => {
    expect(formatNumber(-0.4, 0)).toBe("0");
    expect(formatNumber(-0.6, 0)).toBe("−1");
  });
  test.each([
    [0, 1, "0:00.0"],
    [64.25, 1, "1:04.3"],
    [59.96, 1, "1:00.0"],
    [119.999, 1, "2:00.0"],
    [125, 0, "2:05"],
    [59.6, 0, "1:00"],
  ])("%s s with %s decimals", (timeS, decimals, shown) => expect(formatTime(timeS, decimals)).toBe(shown));
  test.each([
    [320.4, "320"],
    [999.7, "1.0k"],
    [2600, "2.6k"],
    [9996, "10k"],
    [12000, "12k"],
  ])("%s Hz", (frequencyHz, shown) => expect(formatHz(frequencyHz)).toBe(shown));
});

describe("numbers as people type them", () => {
  test.each([
    ["-6", -6],
    ["−6 dB", -6],
    [" 2,5 ", 2.5],
    ["2.6k", 2600],
    ["2.6 kHz", 2600],
    [".5", 0.5],
    ["+3", 3],
    ["-inf", -Infinity],
    ["−∞", -Infinity],
    ["loud", null],
    ["", null],
    ["-", null],
  ])("%j", (text, value) => expect(parseNumber(text)).toBe(value));
});
