import { expect, test } from "vitest";

import { countWords, gigabytes, isFound, whenWords } from "./songs";

const strips = [
  { kind: "track", name: "Kick In" },
  { kind: "track", name: "Voice" },
  { kind: "bus", name: "Drums" },
  { kind: "mix", name: "Mix" },
];

test("what a song is made of", () => {
  expect(countWords({ strips, layout: "stereo" })).toBe("2 tracks, 1 bus");
  expect(countWords({ strips, layout: "4+4" })).toBe("2 tracks, 1 bus, 4+4");
  expect(countWords({ strips: [{ kind: "mix", name: "Mix" }], layout: "stereo" })).toBe("empty");
});
test("when it was changed", () => {
  const now = new Date(2026, 10, 20, 15, 0);
  expect(whenWords(new Date(2026, 10, 20, 9, 5).toISOString(), now)).toBe("today, 09:05");
  expect(whenWords(new Date(2026, 10, 19, 23, 59).toISOString(), now)).toBe("yesterday");
  expect(whenWords(new Date(2026, 10, 17, 8).toISOString(), now)).toBe("Tuesday");
  expect(whenWords(new Date(2026, 10, 2, 8).toISOString(), now)).toBe("2 November");
  expect(whenWords(new Date(2025, 10, 2, 8).toISOString(), now)).toBe("2 November 2025");
});
test("songs are found by their name and by their strips", () => {
  const song = { name: "Low Tide", strips };
  expect(isFound(song, "tide kick")).toBe(true);
  expect(isFound(song, "bass")).toBe(false);
  expect(isFound(song, " ")).toBe(true);
});
test("sizes", () => {
  expect([3.2e8, 2.14e9, 6.1e10].map(gigabytes)).toEqual(["320 MB", "2.1 GB", "61 GB"]);
});
