import { chakra } from "@chakra-ui/react";
import { useMemo, useState } from "react";

import { server } from "../../api/client";
import { useMeasurement } from "../../api/useMeasurement";
import { progressWords } from "../../app/measurement";
import type { Wish } from "../../api/types";
import { selectedStrips } from "../../app/commands";
import { useOpen } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { Segments } from "../../controls/Segments";
import { ValueField } from "../../controls/ValueField";
import { formatDb, formatNumber } from "../../lib/format";
import { Panel } from "../session";
import { VuReference } from "./VuReference";

const FIGURES = ["peak", "rms", "vu", "loudness"] as const;
type Figure = (typeof FIGURES)[number];
const TARGETS: Record<Figure, number> = { peak: -18, rms: -21, vu: 0, loudness: -23 };
const UNITS: Record<Figure, string> = { peak: "dBFS", rms: "dBFS", vu: "VU", loudness: "LUFS" };
const PLACES = ["trim", "clip gain"] as const;
const HOW = ["each alone", "all by the same"] as const;
const FADERS = ["as they are", "compensated"] as const;

type Plan = {
  proposals: { strip: string; now: number | null; change_db: number; then: number | null; remark: string }[];
  edit: Wish | null;
  revision: number;
};

/** Bring the selected strips to a reference: what is now, what changes, what comes of it, in one edit. */
export function Reference() {
  const asked = useView((view) => view.dialog === "reference");
  return asked ? <Planning /> : null;
}

function Planning() {
  const open = useOpen();
  const { state, strips, edit } = open;
  const chosen = useMemo(() => {
    const selected = selectedStrips(open.state).filter((strip) => strip.kind !== "mix");
    const all = state.document.strips.filter((strip) => strip.kind === "track");
    return (selected.length > 1 ? selected : all).map((strip) => strip.id);
  }, [open, state]);
  const [figure, setFigure] = useState<Figure>("peak");
  const [target, setTarget] = useState(TARGETS.peak);
  const [place, setPlace] = useState<(typeof PLACES)[number]>("trim");
  const [how, setHow] = useState<(typeof HOW)[number]>("each alone");
  const [faders, setFaders] = useState<(typeof FADERS)[number]>("as they are");
  const order = {
    strips: chosen,
    figure,
    target,
    place,
    together: how === "all by the same",
    compensate: faders === "compensated",
  };
  const planning = useMeasurement<Plan>({
    start: () =>
      server.POST("/api/sessions/{session_id}/reference", {
        params: { path: { session_id: state.id } },
        body: order,
      }),
    about: state.id,
    version: `${state.revision} ${JSON.stringify(order)}`,
    settleMs: 200,
  });
  const { result, current, problem } = planning;
  const close = () => useView.setState({ dialog: null });
  return (
    <Panel title={`Bring ${chosen.length} strips to reference`} onClose={close}>
      <chakra.div display="grid" gridTemplateColumns="64px 1fr" rowGap="8px" alignItems="center">
        <chakra.span color="quiet">figure</chakra.span>
        <Segments
          label="Figure"
          options={FIGURES}
          value={figure}
          onChange={(next) => {
            setFigure(next);
            setTarget(TARGETS[next]);
          }}
        />
        <chakra.span color="quiet">target</chakra.span>
        <span>
          <ValueField
            label="Target"
            value={target}
            minimum={-80}
            maximum={20}
            fallback={TARGETS[figure]}
            step={0.5}
            unit={UNITS[figure]}
            format={(value) => formatNumber(value ?? 0, 1)}
            onPreview={(value) => setTarget(value ?? 0)}
            onCommit={(value) => setTarget(value ?? 0)}
            onCancel={() => undefined}
          />{" "}
          {UNITS[figure]}
          {figure === "vu" && (
            <>
              {" · "}
              <VuReference />
            </>
          )}
        </span>
        <chakra.span color="quiet">where</chakra.span>
        <Segments label="Where" options={PLACES} value={place} onChange={setPlace} />
        <chakra.span color="quiet">how</chakra.span>
        <Segments label="How" options={HOW} value={how} onChange={setHow} />
        <chakra.span color="quiet">faders</chakra.span>
        <Segments label="Faders" options={FADERS} value={faders} onChange={setFaders} />
      </chakra.div>
      <chakra.div maxHeight="300px" overflowY="auto" marginTop="10px">
        <chakra.table width="100%" fontSize="small" aria-label="What would change">
          <thead>
            <chakra.tr color="quiet" textAlign="left">
              <th>strip</th>
              <chakra.th textAlign="right">now</chakra.th>
              <chakra.th textAlign="right">change</chakra.th>
              <chakra.th textAlign="right">then</chakra.th>
              <chakra.th paddingLeft="10px" />
            </chakra.tr>
          </thead>
          <tbody>
            {result?.proposals.map((proposal) => (
              <chakra.tr key={proposal.strip} borderTop="1px solid" borderColor="rule" height="22px">
                <td>{strips.get(proposal.strip)?.name}</td>
                <chakra.td textStyle="number" textAlign="right">
                  {formatDb(proposal.now)}
                </chakra.td>
                <chakra.td textStyle="number" textAlign="right" fontWeight="700">
                  {proposal.change_db ? signed(proposal.change_db) : "—"}
                </chakra.td>
                <chakra.td textStyle="number" textAlign="right">
                  {formatDb(proposal.then)}
                </chakra.td>
                <chakra.td color="quiet" paddingLeft="10px">
                  {proposal.remark}
                </chakra.td>
              </chakra.tr>
            ))}
          </tbody>
        </chakra.table>
        {!result && (
          <chakra.p color="quiet" role="status">
            {problem ?? progressWords(planning)}
          </chakra.p>
        )}
      </chakra.div>
      <chakra.div display="flex" gap="8px" justifyContent="flex-end" marginTop="12px">
        <PlainButton onClick={close}>Cancel</PlainButton>
        <PlainButton
          bg="ink"
          color="card"
          _hover={{ bg: "focus" }}
          disabled={!current || !result?.edit}
          onClick={() => {
            close();
            if (result?.edit) void edit(result.edit, result.revision);
          }}
        >
          Bring to reference
        </PlainButton>
      </chakra.div>
    </Panel>
  );
}

function signed(changeDb: number): string {
  return (changeDb > 0 ? "+" : "") + formatNumber(changeDb, 1);
}
