import { chakra } from "@chakra-ui/react";

import { foldFolder, useView } from "../../app/store";
import { size } from "../../theme/tokens";
import type { LevelItem } from "./model";

/** A folder without a bus: a name over its members. */
export function FolderRow({ item }: { item: LevelItem }) {
  if (!item.folder) return null;
  return (
    <chakra.div
      role="row"
      aria-label={item.folder.name}
      height={`${size.rowPx}px`}
      padding="0 8px 0 12px"
      borderBottom="1px solid"
      borderColor="rule"
      style={{ paddingLeft: `${12 + 14 * item.depth}px` }}
    >
      <chakra.span role="cell" display="flex" alignItems="center" height="100%">
        <FoldMark folder={item.folder.id} name={item.folder.name} />
        <chakra.strong>{item.folder.name}</chakra.strong>
        <chakra.span textStyle="small" marginLeft="8px">
          folder of {item.nMembers}
        </chakra.span>
      </chakra.span>
    </chakra.div>
  );
}

/** Folds and unfolds a folder. */
export function FoldMark({ folder, name }: { folder: string; name: string }) {
  const folded = useView((view) => view.foldedFolders.has(folder));
  return (
    <chakra.button
      type="button"
      aria-label={`${folded ? "Unfold" : "Fold"} ${name}`}
      aria-expanded={!folded}
      width="16px"
      height="target"
      flexShrink="0"
      color="quiet"
      cursor="pointer"
      onClick={(event) => {
        event.stopPropagation();
        foldFolder(folder);
      }}
    >
      {folded ? "▸" : "▾"}
    </chakra.button>
  );
}
