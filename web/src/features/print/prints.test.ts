import { expect, test } from "vitest";

import type { PrintedFile, Session, Strip } from "../../api/types";
import {
  latestOf,
  limitingWords,
  newPrint,
  stretchOptions,
  verdictWords,
  whatOptions,
  whereOptions,
  goingBack,
  overStretch,
  ofWhat,
  fromWhere,
} from "./prints";

const strips = [
  { id: "hall", kind: "return", name: "Hall", chain: [] },
  { id: "mix", kind: "mix", name: "Mix", chain: [] },
] as unknown as Strip[];

test("a new print gets an id that is free", () => {
  expect(newPrint([{ id: "p1" }, { id: "p3" }], {}).id).toBe("p4");
});
test("the mix comes first, then all of a sort, then strips", () => {
  const { value, options } = whatOptions(newPrint([], { strips: ["hall"] }), strips);
  expect(value).toBe("hall");
  expect(options.map((option) => option.label).slice(0, 2)).toEqual(["The mix", "Every stem"]);
  expect(options.at(-1)?.label).toBe("Hall");
});
test("several strips are named", () => {
  const { options } = whatOptions(newPrint([], { strips: ["hall", "mix"], summed: true }), strips);
  expect(options.at(-1)).toEqual({ value: "hall mix", label: "Hall + Mix" });
});
test("of something else it forgets its place in a chain", () => {
  expect(ofWhat("every stem")).toMatchObject({ strips: [], every: "stem", after: null });
});
test("places in a chain and lanes can be read", () => {
  const lanes = [{ id: "l1", name: "Clean", chain: [{ id: "g", type: "gain" }] }];
  const strip = { ...strips[0], chain: [{ id: "b", type: "parallel", on: true, lanes }] } as unknown as Strip;
  const { options } = whereOptions(newPrint([], { strips: ["hall"] }), strip, ({ type }) => type);
  expect(options.slice(-3).map((option) => option.value)).toEqual(["after b", "after l1", "after g"]);
  expect(fromWhere("after g").after).toBe("g");
  expect(fromWhere("pre-chain pre-fader").taps).toEqual(["pre-chain", "pre-fader"]);
});
test("the loop becomes a stretch of its own", () => {
  const document = { sections: [{ name: "Refrain" }, { name: "Refrain" }] } as unknown as Session;
  const { options } = stretchOptions(newPrint([], {}), document, [1, 2], () => "bars 1–2");
  expect(options.map((option) => option.value)).toEqual(["whole", "section Refrain", "loop"]);
  expect(overStretch("loop", [1, 2]).stretch).toEqual({
    kind: "from-to",
    from_s: 1,
    to_s: 2,
  });
});
test("in place it is printed after its chain", () => {
  expect(goingBack("in-place").taps).toEqual(["pre-fader"]);
  expect(goingBack("lands Refrain")).toMatchObject({ back: "track", lands: "Refrain" });
});
test("the newest run counts", () => {
  const files = [
    { run: "b", print: "p1", id: "3" },
    { run: "b", print: "p2", id: "4" },
    { run: "a", print: "p1", id: "1" },
  ] as PrintedFile[];
  expect(latestOf(files, "p1").map((file) => file.id)).toEqual(["3"]);
});
test("a verdict says what is off", () => {
  const check = { asked: "loudness", holds: false, found: "", wanted: "", off_db: -0.93 } as const;
  expect(verdictWords({ target: "", checks: [check], gain_db: 0.9, limited_db: 0 })).toBe("0.9 LU low");
  expect(verdictWords({ target: "", checks: [], gain_db: 0, limited_db: 0 })).toBe("fits");
});

test("what a limiter did is said with how often", () => {
  expect(limitingWords({ deepest_db: 1.42, typical_db: 0.3, share: 0.123 })).toBe(
    "Its limiter takes 1.4 dB at most, 0.3 dB typically, in 12 % of the time.",
  );
  expect(limitingWords({ deepest_db: 1, typical_db: 1, share: 0.004 })).toContain("less than 1 %");
  expect(limitingWords({ deepest_db: 0, typical_db: 0, share: 0 })).toBe("Its limiter takes nothing.");
});
