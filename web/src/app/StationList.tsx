import { chakra } from "@chakra-ui/react";

import { StationSign } from "./StationSign";
import { show, STATIONS, useView } from "./store";

/** The six stations, in the order of the work. */
export function StationList() {
  const current = useView((view) => view.station);
  return (
    <chakra.nav
      aria-label="Stations"
      borderRight="1px solid"
      borderColor="rule"
      paddingTop="8px"
      overflow="hidden"
    >
      {STATIONS.map((station, index) => {
        const here = station === current;
        return (
          <chakra.button
            key={station}
            type="button"
            aria-current={here ? "page" : undefined}
            width="100%"
            height="60px"
            marginBottom="4px"
            display="flex"
            flexDirection="column"
            alignItems="center"
            justifyContent="center"
            gap="4px"
            borderLeft="3px solid"
            borderColor={here ? "focus" : "transparent"}
            bg={here ? "wash" : "transparent"}
            color={here ? "focus" : "ink"}
            fontWeight={here ? "700" : "400"}
            cursor="pointer"
            onClick={() => show(station)}
          >
            <StationSign station={station} />
            {index + 1} {station}
          </chakra.button>
        );
      })}
      <chakra.button
        type="button"
        width="100%"
        marginTop="12px"
        paddingTop="12px"
        borderTop="1px solid"
        borderColor="rule"
        color="quiet"
        fontSize="small"
        cursor="pointer"
        onClick={() => useView.setState({ dialog: "finder" })}
      >
        Find
        <br />
        Ctrl K
      </chakra.button>
    </chakra.nav>
  );
}
