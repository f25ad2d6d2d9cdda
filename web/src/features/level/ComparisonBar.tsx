import { chakra } from "@chakra-ui/react";
import { useEffect } from "react";

import { server } from "../../api/client";
import { useMeasurement } from "../../api/useMeasurement";
import { progressWords } from "../../app/measurement";
import { endComparison, hearSide, useComparison, type Comparison } from "../../app/comparison";
import { useOpen, useTransport } from "../../app/SessionContext";
import { Segments } from "../../controls/Segments";
import { formatDb, formatNumber } from "../../lib/format";
import { SignButton } from "../../controls/SignButton";

type Match = { lufs: number | null; other_lufs: number | null; matching_db: number };

const MATCHING = ["same loudness", "as they are"] as const;

/** Hearing the session against something else, at the same loudness unless asked otherwise. */
export function ComparisonBar() {
  const comparison = useComparison((comparing) => comparing.comparison);
  return comparison ? <Bar comparison={comparison} /> : null;
}

function Bar({ comparison }: { comparison: Comparison }) {
  const { state, live } = useOpen();
  const { loopS } = useTransport();
  const { side, matched } = useComparison();
  const { here, there, snapshot, action } = comparison;
  const matching = useMeasurement<Match>({
    start: () =>
      server.POST("/api/sessions/{session_id}/match", {
        params: { path: { session_id: state.id } },
        body: { snapshot, action, stretch_s: loopS },
      }),
    about: state.id,
    version: `${state.revision} ${JSON.stringify([snapshot, action, loopS])}`,
    settleMs: 100,
  });
  const { result, problem } = matching;
  const offsetDb = matched ? (result?.matching_db ?? 0) : 0;
  useEffect(() => {
    // Heard as they are until it is known how loud both are.
    if (snapshot) live.compare(snapshot, offsetDb);
    else if (action) live.audition(action, offsetDb);
  }, [live, snapshot, action, offsetDb]);
  const sides = [here, there];
  return (
    <chakra.section
      aria-label="Comparison"
      display="flex"
      alignItems="center"
      gap="10px"
      height="36px"
      padding="0 12px"
      bg="card"
      borderBottom="1px solid"
      borderColor="focus"
      whiteSpace="nowrap"
      overflow="hidden"
    >
      <chakra.span color="quiet">hear</chakra.span>
      <Segments
        label="Side"
        options={sides}
        value={sides[side] ?? here}
        onChange={(next) => hearSide(live, next === there ? 1 : 0)}
      />
      <Segments
        label="Matching"
        options={MATCHING}
        value={matched ? "same loudness" : "as they are"}
        onChange={(next) => useComparison.setState({ matched: next === "same loudness" })}
      />
      <chakra.span flex="1" color="quiet" role="status" overflow="hidden" textOverflow="ellipsis">
        {result
          ? `${formatDb(result.lufs)} against ${formatDb(result.other_lufs)} LUFS${loopS ? " in the loop" : ""}: ${there} is heard ${formatNumber(offsetDb, 1)} dB`
          : (problem ?? `not matched yet, ${progressWords(matching)}`)}
      </chakra.span>
      <chakra.span color="quiet" fontSize="small">
        X switches
      </chakra.span>
      <SignButton label="End the comparison" onClick={() => endComparison(live)} />
    </chakra.section>
  );
}
