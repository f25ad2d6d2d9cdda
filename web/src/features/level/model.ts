import type { Folder, Strip, TreeRow } from "../../api/types";
import { walkChain } from "../../lib/chains";

export type LevelItem = {
  key: string;
  strip: Strip | null;
  folder: Folder | null;
  depth: number;
  nMembers: number;
  cuts: number;
};

const MOST_CUTS = 4;

/** Rows with what they show; members of a family of colour are told apart by cuts in their marks. */
export function itemsOf(rows: TreeRow[], strips: Map<string, Strip>, folders: Folder[]): LevelItem[] {
  const seen = new Map<string, number>();
  return rows.map((row) => {
    const strip = row.strip ? (strips.get(row.strip) ?? null) : null;
    const folder = folders.find((item) => item.id === row.folder) ?? null;
    const before = strip?.kind === "track" ? (seen.get(strip.color) ?? 0) : 0;
    if (strip?.kind === "track") seen.set(strip.color, before + 1);
    return {
      key: row.folder ? `folder ${row.folder}` : (row.strip ?? ""),
      strip,
      folder,
      depth: row.depth,
      nMembers: row.n_members,
      cuts: before % MOST_CUTS,
    };
  });
}

/** How many strips each strip is a key for. */
export function keyCounts(strips: Strip[]): Map<string, number> {
  const counts = new Map<string, number>();
  strips.forEach((strip) =>
    walkChain(strip.chain).forEach((processor) => {
      const source = "key" in processor ? processor.key.from : null;
      if (source) counts.set(source, (counts.get(source) ?? 0) + 1);
    }),
  );
  return counts;
}
