import { describe, expect, test } from "vitest";

import vectors from "../../../tests/vectors/music.json";
import { barLines, barAndBeat, barRange, gridOf, snapped, stepped, type Snap } from "./beatGrid";
import { barS, noteSign } from "./music";

const grids = vectors.songs.map(gridOf);
const grid = (song: number) => grids[song] ?? gridOf([]);

describe("bars and beats", () => {
  test.each(vectors.bars)("a bar of $tempo.metre at $tempo.bpm lasts $bar_s s", ({ tempo, bar_s }) => {
    expect(barS(tempo)).toBeCloseTo(bar_s, 10);
  });
  test.each(vectors.places)("$time_s s of song $song lies at $place", ({ song, time_s, place }) => {
    expect(barAndBeat(grid(song), time_s)).toBe(place);
  });
  test.each(vectors.snaps)(
    "$time_s s of song $song goes to $snapped_s",
    ({ song, time_s, to, snapped_s }) => {
      expect(snapped(grid(song), time_s, to as Snap)).toBeCloseTo(snapped_s, 10);
    },
  );
  test("a time that rounding has left just before a bar counts as the bar", () => {
    expect(barAndBeat(grid(0), 0.1 * 20)).toBe("2|1");
  });
  test("steps go over a change of the tempo", () => {
    expect(stepped(grid(2), 3.5, "beat", 2)).toBeCloseTo(5, 10);
    expect(stepped(grid(2), 0, "bar", -1)).toBe(0);
  });
  test("lines stand on the bars of each tempo", () => {
    expect(barLines(grid(2), 0, 16, 1).map(([, atS]) => atS)).toEqual([0, 2, 4, 8, 12, 15]);
    expect(barLines(grid(2), 3, 16, 2)).toEqual([
      [3, 4],
      [5, 12],
    ]);
    expect(barRange(grid(0), [32, 48])).toBe("17–24");
  });
  test("without a metre being cut short, free is free", () => {
    expect(snapped(grid(0), 1.234, "free")).toBe(1.234);
  });
  test("the sign of a dotted note keeps its dot", () => {
    expect(noteSign("1/4.")).toBe("♩.");
  });
});
