import type { Wish } from "../../api/types";
import type { LevelItem } from "../level";

/** Where something dragged would land: in a folder, or beside a row, or together with a strip in a new folder. */
export type Landing = {
  key: string;
  where: "into" | "before" | "after" | "new-folder";
  words: string;
};

const EDGE_SHARE = 0.28;

/** What letting go here would do, by the height inside the row: its middle takes in, its edges put beside. */
export function landingAt(item: LevelItem, share: number, nDragged: number): Landing {
  const name = item.folder?.name ?? item.strip?.name ?? "";
  const key = item.key;
  if (item.strip?.kind === "mix") return { key, where: "before", words: `before ${name}` };
  if (share < EDGE_SHARE) return { key, where: "before", words: `before ${name}` };
  if (share > 1 - EDGE_SHARE) {
    // Behind the row of an open folder lies its first member; that reads as "into".
    return item.folder
      ? { key, where: "into", words: `into ${name}` }
      : { key, where: "after", words: `after ${name}` };
  }
  if (item.folder) return { key, where: "into", words: `into ${name}` };
  return { key, where: "new-folder", words: `new folder of ${name} and ${nDragged} more` };
}

/** The edit a landing asks for; null for a new folder, which needs a name first. */
export function landingAction(
  landing: Landing,
  item: LevelItem,
  strips: string[],
  folders: string[],
): Wish | null {
  if (landing.where === "new-folder") return null;
  const target = item.folder ? { folder: item.folder.id } : { strip: item.strip?.id };
  return { type: "move-in-tree", strips, folders, where: landing.where, ...target };
}
