import { describe, expect, test } from "vitest";

import {
  aboveAt,
  azimuthOf,
  behindAt,
  edgeOf,
  elevationOf,
  middleOf,
  radiiAbove,
  turnedBy,
} from "./bedGeometry";

const PLAN = { widthPx: 660, heightPx: 560 };

describe("a bed around the listener", () => {
  test("left is left, in front is at the top", () => {
    const { x, y } = middleOf(PLAN);
    expect(aboveAt(PLAN, 100, 90).x).toBeCloseTo(x - 100, 6);
    expect(aboveAt(PLAN, 100, 0).y).toBeCloseTo(y - 100, 6);
    expect(aboveAt(PLAN, 100, 180).y).toBeCloseTo(y + 100, 6);
  });
  test("a point stands for the direction it was drawn for", () => {
    for (const azimuth of [-170, -90, 0, 35, 120])
      expect(azimuthOf(PLAN, aboveAt(PLAN, 200, azimuth))).toBeCloseTo(azimuth, 6);
    for (const elevation of [-90, -30, 0, 45, 90])
      expect(elevationOf(PLAN, behindAt(PLAN, { azimuthDeg: 20, elevationDeg: elevation }))).toBeCloseTo(
        elevation,
        4,
      );
  });
  test("who goes on past behind comes from the other side", () => {
    expect(turnedBy(170, 20)).toBe(-170);
    expect(turnedBy(-170, -20)).toBe(170);
    expect(turnedBy(10, 5)).toBe(15);
  });
  test("the wetter is further away, and names keep clear of each other", () => {
    const strips = [null, -20, -10, null].map((wetDb, index) => ({
      strip: String(index),
      name: "Upright bass",
      azimuthDeg: 90 * index,
      elevationDeg: 0,
      wetDb,
      isReturn: index === 3,
    }));
    const radii = radiiAbove(PLAN, strips);
    expect(radii.get("0")).toBeLessThan(radii.get("1") ?? 0);
    expect(radii.get("1")).toBeLessThan(radii.get("2") ?? 0);
    expect(radii.get("3")).toBeCloseTo(edgeOf(PLAN), 6);
    const crowd = Array.from({ length: 7 }, (_, index) => ({
      strip: String(index),
      name: "Upright bass",
      azimuthDeg: 2 * index,
      elevationDeg: 0,
      wetDb: null,
      isReturn: false,
    }));
    const places = [...radiiAbove(PLAN, crowd)].map(([strip, radius]) =>
      aboveAt(PLAN, radius, 2 * Number(strip)),
    );
    places.forEach((one, index) =>
      places
        .slice(index + 1)
        .forEach((other) =>
          expect(Math.abs(one.y - other.y) > 11 || Math.abs(one.x - other.x) > 70).toBe(true),
        ),
    );
  });
});
