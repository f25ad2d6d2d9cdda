import { expect, test } from "vitest";

import { columnsFor } from "./columns";

test("with less room the ways go first, then the reduction", () => {
  const found = Array.from({ length: 900 }, (_, k) => columnsFor(500 + k));
  for (const columns of found) expect(columns.showsReduction || !columns.showsWays).toBe(true);
  expect(found[0]?.showsReduction).toBe(false);
  expect(found.at(-1)?.showsWays).toBe(true);
});
test("meters and faders grow with the width up to an end and never shrink", () => {
  for (let widthPx = 700; widthPx < 3000; widthPx += 1) {
    const [before, after] = [columnsFor(widthPx), columnsFor(widthPx + 1)];
    if (before.showsReduction !== after.showsReduction || before.showsWays !== after.showsWays) continue;
    expect(after.meterPx).toBeGreaterThanOrEqual(before.meterPx);
    expect(after.faderPx).toBeGreaterThanOrEqual(before.faderPx);
  }
  expect(columnsFor(5000)).toMatchObject({ meterPx: 420, faderPx: 260 });
});
test("there are as many cells as the template says", () => {
  expect(columnsFor(2000).template.replace("minmax(0, 1fr)", "x").split(" ")).toHaveLength(12);
  expect(columnsFor(500).template.replace("minmax(0, 1fr)", "x").split(" ")).toHaveLength(10);
});
