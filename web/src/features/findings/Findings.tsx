import { chakra } from "@chakra-ui/react";

import { usePutAside } from "../../api/queries";
import { putAside, takeBack, useOpenFindings } from "../../app/findings";
import { Cure } from "../../app/Cure";
import { progressWords, useMeasured, type Finding } from "../../app/measurement";
import { useOpen } from "../../app/SessionContext";
import { askName, focusStrip, show, useView, type Station } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { formatTime } from "../../lib/format";
import { Panel } from "../session";

/** Everything found, with evidence, cure and a way to put it aside. */
export function Findings() {
  const asked = useView((view) => view.dialog === "findings");
  return asked ? <Listing /> : null;
}

function Listing() {
  const { state } = useOpen();
  const findings = useOpenFindings();
  const following = useMeasured();
  const { measured, current } = following;
  const { data: aside } = usePutAside(state.id);
  return (
    <Panel title={`Findings: ${findings.length}`} onClose={() => useView.setState({ dialog: null })}>
      <chakra.div maxHeight="70vh" overflowY="auto">
        {!current && (
          <chakra.p color="quiet" role="status">
            {measured && "The song has changed; what was found is being examined anew: "}
            {progressWords(following)}.
          </chakra.p>
        )}
        {measured && current && findings.length === 0 && <p>Nothing found.</p>}
        <chakra.ol listStyleType="none" aria-label="Findings">
          {findings.map((finding, index) => (
            <Item key={finding.id} finding={finding} number={index + 1} />
          ))}
        </chakra.ol>
        {aside && aside.length > 0 && (
          <chakra.details marginTop="10px" fontSize="small">
            <chakra.summary cursor="pointer" color="quiet">
              {aside.length} put aside
            </chakra.summary>
            {aside.map((item) => (
              <chakra.div key={item.finding} display="flex" gap="8px" alignItems="center">
                <chakra.span flex="1">
                  {item.finding}: {item.reason}
                </chakra.span>
                <PlainButton height="target" onClick={() => void takeBack(state.id, item.finding)}>
                  show again
                </PlainButton>
              </chakra.div>
            ))}
          </chakra.details>
        )}
      </chakra.div>
    </Panel>
  );
}

function Item({ finding, number }: { finding: Finding; number: number }) {
  const { state, live } = useOpen();
  const { measured, current } = useMeasured();
  const wrong = finding.weight === "wrong";
  const aside = async () => {
    const reason = await askName(`Why put “${finding.title}” aside?`, "as intended");
    useView.setState({ dialog: "findings" });
    if (reason) void putAside(state.id, finding, reason);
  };
  const look = () => {
    useView.setState({ dialog: null });
    focusStrip(finding.strip);
    show(finding.look as Station);
    if (finding.at_s !== null) live.seek(finding.at_s);
  };
  return (
    <chakra.li padding="8px 0" opacity={current ? 1 : 0.6} borderBottom="1px solid" borderColor="rule">
      <chakra.div fontWeight="700" color={wrong ? "over" : "hotText"}>
        {wrong ? "⚠" : "·"} {number} {finding.title}
        {finding.at_s !== null && (
          <chakra.span textStyle="number" fontSize="small" color="quiet">
            {" "}
            at {formatTime(finding.at_s)}
          </chakra.span>
        )}
      </chakra.div>
      <chakra.p>
        {finding.evidence} <chakra.span color="quiet">{finding.why}</chakra.span>
      </chakra.p>
      <chakra.div display="flex" gap="6px" marginTop="4px">
        {finding.cure && measured && (
          <Cure cure={finding.cure} text={finding.cure_text} revision={measured.revision} current={current} />
        )}
        <PlainButton onClick={look}>Look</PlainButton>
        <PlainButton onClick={() => void aside()}>Put aside…</PlainButton>
      </chakra.div>
    </chakra.li>
  );
}
