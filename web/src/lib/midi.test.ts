import { describe, expect, test } from "vitest";

import { faderMessage, padMessage, readMidi } from "./midi";

describe("what a controller says", () => {
  test("a fader comes back as it was sent", () => {
    for (const share of [0, 0.5, 1]) {
      const touch = readMidi(faderMessage(3, share));
      expect(touch?.kind).toBe("fader");
      expect(touch?.share).toBeCloseTo(share, 2);
    }
    expect(readMidi(faderMessage(0, 7))?.share).toBe(1);
  });
  test("faders and channels are told apart", () => {
    const controls = [faderMessage(0, 1), faderMessage(1, 1), padMessage(0, 1), [0xb1, 16, 127]].map(
      (bytes) => readMidi(bytes)?.control,
    );
    expect(new Set(controls).size).toBe(4);
  });
  test("a note's end, a clock and nothing are no touch", () => {
    for (const bytes of [[0x80, 36, 64], [0x90, 36, 0], [0xf8], []]) expect(readMidi(bytes)).toBeNull();
  });
});
