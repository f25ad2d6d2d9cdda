import type { TreeRow } from "../api/types";

/** Rows that are not inside a folded folder. */
export function visibleRows(tree: readonly TreeRow[], folded: ReadonlySet<string>): TreeRow[] {
  const shown: TreeRow[] = [];
  let hiddenBelow = Infinity;
  for (const row of tree) {
    if (row.depth > hiddenBelow) continue;
    hiddenBelow = row.folder && folded.has(row.folder) ? row.depth : Infinity;
    shown.push(row);
  }
  return shown;
}
