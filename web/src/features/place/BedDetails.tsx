import { chakra } from "@chakra-ui/react";

import { formatDb } from "../../lib/format";
import type { BedLoudspeaker, BedPlace } from "./report";

const LOWEST_DB = -60;

/** What each loudspeaker of a bed gets of the focused strip, over the song. */
export function BedDetails({
  bed,
  loudspeakers,
  stale,
}: {
  bed: BedPlace;
  loudspeakers: BedLoudspeaker[];
  stale: boolean;
}) {
  return (
    <chakra.figure margin="0" opacity={stale ? 0.5 : 1} aria-label="Level in each loudspeaker">
      <chakra.div display="flex" gap="4px" alignItems="flex-start" height="86px">
        {loudspeakers.map(({ label }, channel) => {
          const levelDb = bed.channels_dbfs[channel] ?? null;
          const share = Math.max(0, 1 - Math.min(0, levelDb ?? LOWEST_DB) / LOWEST_DB);
          return (
            <chakra.div
              key={label}
              title={`${label}: ${formatDb(levelDb)} dBFS`}
              width="20px"
              display="flex"
              flexDirection="column"
              alignItems="center"
              gap="2px"
            >
              <chakra.div height="42px" width="8px" bg="rule" display="flex" alignItems="flex-end">
                <chakra.div width="8px" bg="under" style={{ height: `${Math.round(100 * share)}%` }} />
              </chakra.div>
              <chakra.span fontSize="small" color="quiet" style={{ writingMode: "vertical-rl" }}>
                {label}
              </chakra.span>
            </chakra.div>
          );
        })}
      </chakra.div>
      <chakra.figcaption color="quiet" fontSize="small">
        RMS in each loudspeaker
      </chakra.figcaption>
    </chakra.figure>
  );
}
