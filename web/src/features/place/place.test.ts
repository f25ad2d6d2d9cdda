import { describe, expect, test } from "vitest";

import { pointAt, positionOf, radiiOf, radiusAt, type Placed } from "./geometry";
import { sideOf } from "./report";
import { arcAsSet, panAt } from "./setting";

const PLAN = { widthPx: 660, heightPx: 560 };
const PAN = {
  mode: "balance" as const,
  position: 0,
  left: -1,
  right: 1,
  azimuth_deg: 0,
  elevation_deg: 0,
  spread_deg: 0,
  bed: null,
};

describe("the plan of the stage", () => {
  test("a point stands for the position it was drawn for", () => {
    for (const position of [-1, -0.35, 0, 0.7, 1])
      expect(positionOf(PLAN, pointAt(PLAN, 300, position))).toBeCloseTo(position, 6);
  });
  test("everything lies inside of it", () => {
    for (const position of [-1, 0, 1]) {
      const { x, y } = pointAt(PLAN, radiusAt(PLAN, 1), position);
      expect(x).toBeGreaterThan(20);
      expect(x).toBeLessThan(PLAN.widthPx - 20);
      expect(y).toBeGreaterThan(20);
    }
  });
  test("the wetter is further away, and returns are furthest", () => {
    const strips: Placed[] = [null, -20, -10, null].map((wetDb, index) => ({
      strip: String(index),
      position: 0.25 * index - 0.4,
      reach: 0,
      wetDb,
      isReturn: index === 3,
      name: "x",
    }));
    const radii = strips.map((strip) => radiiOf(PLAN, strips).get(strip.strip) ?? 0);
    expect(radii).toEqual([...radii].sort((one, other) => one - other));
  });
  test("nobody stands on another's name", () => {
    const strips: Placed[] = Array.from({ length: 8 }, (_, index) => ({
      strip: String(index),
      position: 0.02 * index,
      reach: 0,
      wetDb: null,
      isReturn: false,
      name: "Upright bass",
    }));
    const radii = [...radiiOf(PLAN, strips).values()].sort((one, other) => one - other);
    radii.slice(1).forEach((radius, index) => expect(radius - (radii[index] ?? 0)).toBeGreaterThan(11));
  });
});

describe("where strips are set", () => {
  test("a pan moves and stays inside", () => {
    expect(panAt(PAN, 0.3).position).toBe(0.3);
    expect(panAt({ ...PAN, position: 0.9 }, 0.3).position).toBe(1);
  });
  test("two hands go together and stay as far apart", () => {
    const moved = panAt({ ...PAN, mode: "two-handed", left: -0.2, right: 0.6 }, 0.7);
    expect([moved.left, moved.right]).toEqual([0.2, 1]);
  });
  test("an arc says from where to where", () => {
    expect(arcAsSet({ pan: PAN, width: 0.5 }, 2)).toEqual({ position: 0, reach: 0.5 });
    const hands = { ...PAN, mode: "two-handed" as const, left: -0.5, right: 0.1 };
    expect(arcAsSet({ pan: hands, width: 1 }, 2).position).toBeCloseTo(-0.2, 9);
    expect(arcAsSet({ pan: { ...PAN, position: 0.4 }, width: 1 }, 1)).toEqual({ position: 0.4, reach: 0 });
  });
  test("sides are said in percent", () => {
    expect([sideOf(-0.354), sideOf(0.002), sideOf(0.7)]).toEqual(["L 35", "C", "R 70"]);
  });
});
