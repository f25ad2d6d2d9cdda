import { expect, test } from "vitest";

import type { TreeRow } from "../api/types";
import { visibleRows } from "./tree";

const row = (depth: number, strip: string | null, folder: string | null = null): TreeRow => ({
  depth,
  strip,
  folder,
  parent: null,
  n_members: 0,
});
const TREE = [row(0, null, "drums"), row(1, "kick"), row(1, null, "toms"), row(2, "low"), row(0, "voice")];

test("what lies in a folded folder is hidden at every depth", () => {
  expect(visibleRows(TREE, new Set(["drums"]))).toEqual([TREE[0], TREE[4]]);
});
test("a folded folder inside another hides only its own", () => {
  expect(visibleRows(TREE, new Set(["toms"]))).toEqual([TREE[0], TREE[1], TREE[2], TREE[4]]);
});
test("nothing is hidden where nothing is folded", () => {
  expect(visibleRows(TREE, new Set())).toEqual(TREE);
});
