import { expect, test } from "vitest";

import { choicesOf, limitsOf, noneOf, withinLimits } from "./parameters";

test("a fader reaches as far as the server lets it", () => {
  expect(limitsOf("strip", "fader_db")).toMatchObject({
    minimum: -120,
    maximum: 24,
    fallback: 0,
    unit: "dB",
  });
  expect(noneOf("strip", "fader_db")).toBe("silent");
  expect(withinLimits("strip", "fader_db", 30)).toBe(24);
});
test("frequencies are logarithmic and cuts may be open", () => {
  expect(limitsOf("eq_band", "frequency_hz").logarithmic).toBe(true);
  expect(noneOf("key_filter", "low_cut_hz")).toBe("open");
});
test("notes are straight, dotted and triplets", () => {
  expect(choicesOf("delay", "note")).toHaveLength(18);
});
test("what there is not is an error", () => {
  expect(() => limitsOf("strip", "loudness")).toThrow("strip has no parameter loudness");
});
