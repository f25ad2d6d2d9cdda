import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import { server } from "../../api/client";
import { postTakeBack, refreshSnapshots, useDifferences, useSnapshots } from "../../api/queries";
import type { SnapshotListing } from "../../api/types";
import { compareWith } from "../../app/comparison";
import { report, useOpen } from "../../app/SessionContext";
import { askName, useView } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { Panel } from "../session";
import { SignButton } from "../../controls/SignButton";

/** Snapshots of the session: told apart from the present in words, heard against it, taken back. */
export function Snapshots() {
  const asked = useView((view) => view.dialog === "snapshots");
  return asked ? <Comparing /> : null;
}

function Comparing() {
  const { state } = useOpen();
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
      await server.POST("/api/sessions/{session_id}/snapshots", {
        params: { path: { session_id: state.id } },
        body: { name },
      });
      refreshSnapshots(state.id);
    } catch (failure) {
      report(failure);
    }
  };
  const forget = async (id: string) => {
    try {
      await server.DELETE("/api/sessions/{session_id}/snapshots/{snapshot_id}", {
        params: { path: { session_id: state.id, snapshot_id: id } },
      });
      if (chosen === id) setChosen("");
      refreshSnapshots(state.id);
    } catch (failure) {
      report(failure);
    }
  };
  const close = () => useView.setState({ dialog: null });
  const against = snapshots?.find((snapshot) => snapshot.id === chosen);
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
            <SignButton label={`Forget ${snapshot.name}`} onClick={() => void forget(snapshot.id)} />
          </chakra.li>
        ))}
      </chakra.ul>
      {snapshots?.length === 0 && (
        <chakra.p color="quiet">Keep the session as it is now; then change something and compare.</chakra.p>
      )}
      <PlainButton marginTop="8px" onClick={() => void keep()}>
        Keep a snapshot…
      </PlainButton>
      {against && <Against key={against.id} snapshot={against} onHear={close} />}
    </Panel>
  );
}

function Against({ snapshot, onHear }: { snapshot: SnapshotListing; onHear: () => void }) {
  const { state, strips } = useOpen();
  const { data: changed } = useDifferences(state.id, snapshot.id, state.revision);
  const takeBack = (only: string[]) => void postTakeBack(state.id, snapshot.id, only).catch(report);
  const hear = () => {
    compareWith({ here: "as it is now", there: snapshot.name, snapshot: snapshot.id, action: null });
    onHear();
  };
  return (
    <chakra.div
      marginTop="12px"
      borderTop="1px solid"
      borderColor="rule"
      paddingTop="10px"
      display="grid"
      gap="8px"
    >
      <chakra.span color="quiet">Since {snapshot.name}:</chakra.span>
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
      <chakra.div display="flex" gap="8px" justifyContent="flex-end">
        <PlainButton onClick={() => takeBack([])} disabled={!changed?.length}>
          Take everything back
        </PlainButton>
        <PlainButton bg="ink" color="card" _hover={{ bg: "focus" }} onClick={hear}>
          Hear against now
        </PlainButton>
      </chakra.div>
    </chakra.div>
  );
}
