import { chakra } from "@chakra-ui/react";

import { useOpenFindings } from "../../app/findings";
import { useActing } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";

/** What was found on one strip. */
export function StripFindings({ strip }: { strip: string }) {
  const { edit } = useActing();
  const findings = useOpenFindings().filter((finding) => finding.strip === strip);
  if (!findings.length) return null;
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
          </chakra.span>
          {finding.cure && (
            <PlainButton height="target" onClick={() => finding.cure && void edit(finding.cure)}>
              {finding.cure_text}
            </PlainButton>
          )}
        </chakra.li>
      ))}
    </chakra.ul>
  );
}
