import { chakra } from "@chakra-ui/react";
import { useEffect, useState } from "react";

import { request } from "../../api/client";
import { postTakeBack, refreshSnapshots, useDifferences, useSnapshots } from "../../api/queries";
import { useMeasurement } from "../../api/useMeasurement";
import { report, useOpen } from "../../app/SessionContext";
import { askName, useView } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { Segments } from "../../controls/Segments";
import { formatDb, formatNumber } from "../../lib/format";
import { Panel } from "../session";

type Match = { now_lufs: number | null; then_lufs: number | null; matching_db: number };

const SIDES = ["as it is now", "as it was"] as const;
const MATCHING = ["at the same loudness", "as they are"] as const;

/** Snapshots of the session: heard against the present at the same loudness, told apart in words, taken back. */
export function Snapshots() {
  const asked = useView((view) => view.dialog === "snapshots");
  return asked ? <Comparing /> : null;
}

function Comparing() {
  const { state, live } = useOpen();
  const { data: snapshots } = useSnapshots(state.id);
  const [chosen, setChosen] = useState("");
  const keep = async () => {
    const name = await askName(
      "Keep the session as it is now, as",
      `Version ${(snapshots?.length ?? 0) + 1}`,
    );
    useView.setState({ dialog: "snapshots" });
    if (!name) return;
    try {
      await request("POST", `/api/sessions/${state.id}/snapshots`, { name });
      refreshSnapshots(state.id);
    } catch (failure) {
      report(failure);
    }
  };
  const forget = async (id: string) => {
    try {
      await request("DELETE", `/api/sessions/${state.id}/snapshots/${id}`);
      if (chosen === id) setChosen("");
      refreshSnapshots(state.id);
    } catch (failure) {
      report(failure);
    }
  };
  const close = () => {
    live.compare(null, 0);
    useView.setState({ dialog: null });
  };
  return (
    <Panel title="Compare" onClose={close}>
      <chakra.ul listStyleType="none" aria-label="Snapshots">
        {snapshots?.map((snapshot) => (
          <chakra.li key={snapshot.id} display="flex" gap="8px" alignItems="center" minHeight="30px">
            <chakra.button
              type="button"
              flex="1"
              textAlign="left"
              height="target"
              fontWeight={chosen === snapshot.id ? "700" : "400"}
              aria-pressed={chosen === snapshot.id}
              cursor="pointer"
              onClick={() => setChosen(snapshot.id)}
            >
              {snapshot.name}
            </chakra.button>
            <PlainButton
              height="target"
              aria-label={`Forget ${snapshot.name}`}
              onClick={() => void forget(snapshot.id)}
            >
              ×
            </PlainButton>
          </chakra.li>
        ))}
      </chakra.ul>
      {snapshots?.length === 0 && (
        <chakra.p color="quiet">Keep the session as it is now; then change something and compare.</chakra.p>
      )}
      <PlainButton marginTop="8px" onClick={() => void keep()}>
        Keep a snapshot…
      </PlainButton>
      {chosen && <Against key={chosen} snapshot={chosen} />}
    </Panel>
  );
}

function Against({ snapshot }: { snapshot: string }) {
  const { state, live, strips } = useOpen();
  const [side, setSide] = useState<(typeof SIDES)[number]>("as it is now");
  const [matching, setMatching] = useState<(typeof MATCHING)[number]>("at the same loudness");
  const { data: changed } = useDifferences(state.id, snapshot, state.revision);
  const { result, progress } = useMeasurement<Match>({
    path: `/api/sessions/${state.id}/snapshots/${snapshot}/match`,
    version: state.revision,
    settleMs: 100,
  });
  const offsetDb = matching === "at the same loudness" ? (result?.matching_db ?? 0) : 0;
  useEffect(() => {
    if (result) live.compare(snapshot, offsetDb);
  }, [live, snapshot, offsetDb, result]);
  const hear = (next: (typeof SIDES)[number]) => {
    setSide(next);
    live.speaker.side(next === "as it was" ? 1 : 0);
  };
  const takeBack = (only: string[]) => void postTakeBack(state.id, snapshot, only).catch(report);
  return (
    <chakra.div
      marginTop="12px"
      borderTop="1px solid"
      borderColor="rule"
      paddingTop="10px"
      display="grid"
      gap="8px"
    >
      <Segments label="Hear which" options={SIDES} value={side} onChange={hear} />
      <Segments label="Matching" options={MATCHING} value={matching} onChange={setMatching} />
      <chakra.p color="quiet" role="status">
        {result
          ? `now ${formatDb(result.now_lufs)}, then ${formatDb(result.then_lufs)} LUFS; then is heard ${formatNumber(offsetDb, 1)} dB ${offsetDb < 0 ? "down" : "up"}`
          : `measuring ${Math.round(100 * (progress ?? 0))} %`}
      </chakra.p>
      <chakra.ul
        listStyleType="none"
        maxHeight="220px"
        overflowY="auto"
        fontSize="small"
        aria-label="Differences"
      >
        {changed?.map((item) => (
          <chakra.li
            key={item.words}
            display="flex"
            gap="8px"
            alignItems="center"
            borderTop="1px solid"
            borderColor="rule"
            minHeight="26px"
          >
            <chakra.span flex="1">{item.words}</chakra.span>
            {item.strip && strips.has(item.strip) && (
              <PlainButton height="target" onClick={() => item.strip && takeBack([item.strip])}>
                take back this strip
              </PlainButton>
            )}
          </chakra.li>
        ))}
        {changed?.length === 0 && <li>Nothing differs.</li>}
      </chakra.ul>
      <PlainButton onClick={() => takeBack([])} disabled={!changed?.length}>
        Take everything back
      </PlainButton>
    </chakra.div>
  );
}
