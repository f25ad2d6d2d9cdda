import { describe, expect, test } from "vitest";

import vectors from "../../../tests/vectors/music.json";
import { barAndBeat, barS, noteSign } from "./music";

describe("bars and beats", () => {
  test.each(vectors.bars)("a bar of $tempo.metre at $tempo.bpm lasts $bar_s s", ({ tempo, bar_s }) => {
    expect(barS(tempo)).toBeCloseTo(bar_s, 10);
  });
  test.each(vectors.places)("$time_s s lies at $place", ({ tempo, time_s, place }) => {
    expect(barAndBeat(time_s, tempo)).toBe(place);
  });
  test("a time that rounding has left just before a bar counts as the bar", () => {
    expect(barAndBeat(0.1 * 20, { bpm: 120, beat: "1/4", metre: "4/4" })).toBe("2|1");
  });
  test("the sign of a dotted note keeps its dot", () => {
    expect(noteSign("1/4.")).toBe("♩.");
  });
});
