import { chakra } from "@chakra-ui/react";

import { useOpenFindings, weightsByStation } from "./findings";
import { useMeasured } from "./measurement";
import { StationSign } from "./StationSign";
import { show, STATIONS, useView } from "./store";

/** The six stations, in the order of the work. */
export function StationList() {
  const current = useView((view) => view.station);
  const findings = useOpenFindings();
  const measured = useMeasured((store) => store.measured !== null);
  const examined = useMeasured((store) => store.current);
  const weights = weightsByStation(findings);
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
            <chakra.span position="relative">
              {index + 1} {station}
              {weights.has(station) && (
                <chakra.span
                  position="absolute"
                  top="-26px"
                  right="-4px"
                  color={weights.get(station) === "wrong" ? "over" : "hotText"}
                  aria-label="has findings"
                >
                  ⚠
                </chakra.span>
              )}
            </chakra.span>
          </chakra.button>
        );
      })}
      <chakra.button
        type="button"
        width="100%"
        height="target"
        marginTop="12px"
        fontSize="small"
        color={findings.some(({ weight }) => weight === "wrong") ? "over" : "quiet"}
        cursor="pointer"
        onClick={() => useView.setState({ dialog: "findings" })}
      >
        Findings {measured ? findings.length : ""}
        {examined ? "" : "…"}
      </chakra.button>
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
