import { chakra } from "@chakra-ui/react";

import { useOpenFindings } from "../../app/findings";
import type { Finding } from "../../app/measurement";
import { focusStrip, useView } from "../../app/store";
import { formatTime } from "../../lib/format";

/** Two numbers, their padding, and how many more there are. */
const FLAG_PX = 38;

type Flag = { atS: number; number: number; finding: Finding; more: Finding[] };

/** Findings that have a moment, as small flags on the song; those at about the same moment share one. */
export function Flags({ pxPerS }: { pxPerS: number }) {
  const findings = useOpenFindings();
  return flagsOf(findings, FLAG_PX / pxPerS).map(({ atS, number, finding, more }) => (
    <chakra.button
      key={finding.id}
      type="button"
      aria-label={`Finding ${number}: ${finding.title}${more.length ? `, and ${more.length} more` : ""}`}
      title={[finding, ...more].map((one) => `${one.title}, ${formatTime(one.at_s ?? 0)}`).join("\n")}
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
      whiteSpace="nowrap"
      cursor="pointer"
      style={{ left: `${atS * pxPerS}px` }}
      onPointerDown={(event) => event.stopPropagation()}
      onClick={() => {
        focusStrip(finding.strip);
        useView.setState({ dialog: "findings" });
      }}
    >
      {more.length ? `${number} +${more.length}` : number}
    </chakra.button>
  ));
}

/** One flag for findings that lie so close, named for the first in the list: the gravest. */
function flagsOf(findings: Finding[], closeS: number): Flag[] {
  const flags: Flag[] = [];
  findings.forEach((finding, index) => {
    const atS = finding.at_s;
    if (atS === null) return;
    const near = flags.find((flag) => Math.abs(flag.atS - atS) < closeS);
    if (near) near.more.push(finding);
    else flags.push({ atS, number: index + 1, finding, more: [] });
  });
  return flags;
}
