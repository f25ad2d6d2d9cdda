import { chakra } from "@chakra-ui/react";

import { useOpenFindings } from "../../app/findings";
import { focusStrip, useView } from "../../app/store";
import { formatTime } from "../../lib/format";

/** Findings that have a moment, as small flags on the song. */
export function Flags({ durationS }: { durationS: number }) {
  const findings = useOpenFindings();
  return findings.map((finding, index) =>
    finding.at_s === null ? null : (
      <chakra.button
        key={finding.id}
        type="button"
        aria-label={`Finding ${index + 1}: ${finding.title}`}
        title={`${finding.title}, ${formatTime(finding.at_s)}`}
        position="absolute"
        top="22px"
        height="15px"
        padding="0 4px"
        borderLeft="2px solid"
        borderColor={finding.weight === "wrong" ? "over" : "hotText"}
        bg={finding.weight === "wrong" ? "over" : "hotText"}
        color="card"
        fontSize="small"
        lineHeight="1"
        cursor="pointer"
        style={{ left: `${(100 * finding.at_s) / durationS}%` }}
        onPointerDown={(event) => event.stopPropagation()}
        onClick={() => {
          focusStrip(finding.strip);
          useView.setState({ dialog: "findings" });
        }}
      >
        {index + 1}
      </chakra.button>
    ),
  );
}
