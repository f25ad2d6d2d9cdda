import { chakra } from "@chakra-ui/react";

import { ComingStation } from "../features/coming";
import { FocusSheet } from "../features/focus";
import { DropZone, Level } from "../features/level";
import { Print } from "../features/print";
import { Finder, KeysList, NameQuestion } from "../features/session";
import { SongLine, TopLine } from "../features/transport";
import { Notices } from "./Notices";
import { StationList } from "./StationList";
import { useView } from "./store";
import { useKeys } from "./useKeys";

/** The frame around every station. */
export function Shell() {
  useKeys();
  const station = useView((view) => view.station);
  return (
    <DropZone>
      <chakra.div
        display="grid"
        height="100vh"
        minWidth="1180px"
        gridTemplateRows="{sizes.topLine} {sizes.songLine} minmax(0, 1fr)"
        gridTemplateColumns="{sizes.stations} minmax(0, 1fr) auto"
      >
        <TopLine />
        <SongLine />
        <StationList />
        <chakra.main minWidth="0" overflow="hidden" aria-label={station}>
          {station === "Level" ? (
            <Level />
          ) : station === "Print" ? (
            <Print />
          ) : (
            <ComingStation station={station} />
          )}
        </chakra.main>
        <FocusSheet />
      </chakra.div>
      <Finder />
      <KeysList />
      <NameQuestion />
      <Notices />
    </DropZone>
  );
}
