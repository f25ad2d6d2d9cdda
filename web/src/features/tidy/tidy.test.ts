import { describe, expect, test } from "vitest";

import type { Folder, Strip } from "../../api/types";
import type { LevelItem } from "../level";
import { landingAction, landingAt } from "./dragging";

const item = (fields: Partial<LevelItem>): LevelItem => ({
  key: "k",
  strip: null,
  folder: null,
  depth: 0,
  nMembers: 0,
  cuts: 0,
  ...fields,
});
const kick = item({ strip: { id: "kick", name: "Kick", kind: "track" } as Strip });
const mix = item({ strip: { id: "mix", name: "Mix", kind: "mix" } as Strip });
const drums = item({ folder: { id: "drums", name: "Drums" } as Folder });

describe("where something dragged lands", () => {
  test.each([
    [kick, 0.1, "before"],
    [kick, 0.5, "new-folder"],
    [kick, 0.9, "after"],
    [drums, 0.1, "before"],
    [drums, 0.5, "into"],
    [drums, 0.9, "into"],
    [mix, 0.5, "before"],
    [mix, 0.95, "before"],
  ])("case %#", (target, share, where) => expect(landingAt(target, share, 1).where).toBe(where));
  test("a new folder needs a name first, everything else is an edit", () => {
    expect(landingAction(landingAt(kick, 0.5, 1), kick, ["a"], [])).toBeNull();
    expect(landingAction(landingAt(drums, 0.5, 1), drums, ["a"], ["f"])).toEqual({
      type: "move-in-tree",
      strips: ["a"],
      folders: ["f"],
      where: "into",
      folder: "drums",
    });
  });
});
