import { chakra } from "@chakra-ui/react";

import { Duck } from "../features/duck";
import { FocusSheet, PresetList } from "../features/focus";
import { Findings } from "../features/findings";
import { ComparisonBar, DropZone, Level, Reference, Snapshots } from "../features/level";
import { Moves } from "../features/moves";
import { Place } from "../features/place";
import { Print } from "../features/print";
import { Route } from "../features/route";
import { DecisionQuestion, Finder, KeysList, NameQuestion, StripDialogs } from "../features/session";
import { Tidy } from "../features/tidy";
import { SongLine, TopLine } from "../features/transport";
import { BeatPanel } from "../features/beat";
import { useFollowMeasurement } from "./measurement";
import { Notices } from "./Notices";
import { OverTimeProvider } from "./OverTimeProvider";
import { StationList } from "./StationList";
import { useView } from "./store";
import { useKeys } from "./useKeys";

/** The frame around every station. */
export function Shell() {
  useKeys();
  useFollowMeasurement();
  const station = useView((view) => view.station);
  return (
    <OverTimeProvider>
      <DropZone>
        <chakra.div
          display="grid"
          height="100vh"
          minWidth="1180px"
          gridTemplateRows="{sizes.topLine} {sizes.songLine} auto minmax(0, 1fr)"
          gridTemplateColumns="{sizes.stations} minmax(0, 1fr) auto"
        >
          <TopLine />
          <SongLine />
          <div style={{ gridColumn: "1 / -1" }}>
            <Moves />
          </div>
          <StationList />
          <chakra.main
            minWidth="0"
            overflow="hidden"
            aria-label={station}
            display="grid"
            gridTemplateRows="auto minmax(0, 1fr)"
          >
            <div>
              <ComparisonBar />
            </div>
            {station === "Tidy" ? (
              <Tidy />
            ) : station === "Level" ? (
              <Level />
            ) : station === "Route" ? (
              <Route />
            ) : station === "Duck" ? (
              <Duck />
            ) : station === "Place" ? (
              <Place />
            ) : (
              <Print />
            )}
          </chakra.main>
          <FocusSheet />
        </chakra.div>
        <Finder />
        <KeysList />
        <NameQuestion />
        <DecisionQuestion />
        <StripDialogs />
        <PresetList />
        <Findings />
        <Reference />
        <Snapshots />
        <BeatPanel />
        <Notices />
      </DropZone>
    </OverTimeProvider>
  );
}
