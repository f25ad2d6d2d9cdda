import { chakra } from "@chakra-ui/react";

import { useOpenFindings } from "../../app/findings";
import { Cure } from "../../app/Cure";
import { useMeasured } from "../../app/measurement";

/** What was found on one strip. */
export function StripFindings({ strip }: { strip: string }) {
  const { measured, current } = useMeasured();
  const findings = useOpenFindings().filter((finding) => finding.strip === strip);
  if (!findings.length || !measured) return null;
  return (
    <chakra.ul
      listStyleType="none"
      padding="6px 12px"
      borderBottom="1px solid"
      borderColor="rule"
      fontSize="small"
      aria-label="Findings on this strip"
    >
      {findings.map((finding) => (
        <chakra.li key={finding.id} display="flex" gap="8px" alignItems="center" minHeight="26px">
          <chakra.span
            flex="1"
            color={finding.weight === "wrong" ? "over" : "hotText"}
            title={finding.evidence}
          >
            ⚠ {finding.title}
            {!current && <chakra.span color="quiet"> · being examined anew</chakra.span>}
          </chakra.span>
          {finding.cure && (
            <Cure
              cure={finding.cure}
              text={finding.cure_text}
              revision={measured.revision}
              current={current}
            />
          )}
        </chakra.li>
      ))}
    </chakra.ul>
  );
}
