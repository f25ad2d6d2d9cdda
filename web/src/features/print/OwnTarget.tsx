import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import { limitsOf } from "../../api/parameters";
import { shareTarget } from "../../api/queries";
import type { Target } from "../../api/types";
import { report, useOpen } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";
import { ValueField } from "../../controls/ValueField";
import { formatNumber } from "../../lib/format";
import { Panel } from "../session";
import { freeId } from "./prints";

type Figure = "lufs" | "within_lu" | "at_most_dbtp" | "range_at_most_lu" | "short_term_at_most_lufs";
const FIGURES: { name: Figure; words: string; unit: string }[] = [
  { name: "lufs", words: "loudness", unit: "LUFS" },
  { name: "within_lu", words: "give or take", unit: "LU" },
  { name: "at_most_dbtp", words: "true peak at most", unit: "dBTP" },
  { name: "short_term_at_most_lufs", words: "short-term at most", unit: "LUFS" },
  { name: "range_at_most_lu", words: "range at most", unit: "LU" },
];

type OwnTargetProps = {
  /** The target that counts now. */
  from: Target | undefined;
  /** Those that all songs are offered. */
  shared: Target[];
  onClose: () => void;
};

/** A target of one's own, begun from the one that counts now. */
export function OwnTarget({ from, shared, onClose }: OwnTargetProps) {
  const { state, edit } = useOpen();
  const isOwn = state.document.targets.some((target) => target.id === from?.id);
  const [target, setTarget] = useState<Target>({
    id: isOwn && from ? from.id : freeId("own-", state.document.targets),
    name: isOwn && from ? from.name : "Own target",
    lufs: from?.lufs ?? -16,
    within_lu: from?.within_lu ?? 1,
    at_most_dbtp: from?.at_most_dbtp ?? -1,
    range_at_most_lu: from?.range_at_most_lu ?? null,
    short_term_at_most_lufs: from?.short_term_at_most_lufs ?? null,
    formats: [],
    rate_hz: null,
    source: "",
  });
  const wasShared = isOwn && shared.some(({ name }) => name === from?.name);
  const [isShared, setShared] = useState(wasShared);
  const keep = async () => {
    if (!(await edit({ type: "set-target", target }))) return;
    try {
      if (isShared) await shareTarget(target, true);
      if (from && wasShared && (!isShared || from.name !== target.name)) await shareTarget(from, false);
      onClose();
    } catch (failure) {
      report(failure);
    }
  };
  return (
    <Panel title={isOwn ? "Change the target" : "A target of your own"} onClose={onClose}>
      <chakra.div display="grid" gridTemplateColumns="140px 1fr" gap="8px" alignItems="center">
        <chakra.label htmlFor="target-name" color="quiet">
          name
        </chakra.label>
        <chakra.input
          id="target-name"
          value={target.name}
          maxLength={200}
          height="target"
          borderBottom="1px solid"
          borderColor="edge"
          bg="transparent"
          onChange={(event) => setTarget({ ...target, name: event.target.value })}
          onKeyDown={(event) => event.stopPropagation()}
        />
        {FIGURES.map(({ name, words, unit }) => (
          <Row key={name} name={name} words={words} unit={unit} target={target} onChange={setTarget} />
        ))}
      </chakra.div>
      <chakra.label display="flex" gap="8px" alignItems="center" minHeight="target" marginTop="8px">
        <input type="checkbox" checked={isShared} onChange={(event) => setShared(event.target.checked)} />
        offer it to other songs, too
      </chakra.label>
      <PlainButton marginTop="12px" disabled={!target.name.trim()} onClick={() => void keep()}>
        {isOwn ? "Change it" : "Hold prints against it"}
      </PlainButton>
    </Panel>
  );
}

type RowProps = {
  name: Figure;
  words: string;
  unit: string;
  target: Target;
  onChange: (target: Target) => void;
};

function Row({ name, words, unit, target, onChange }: RowProps) {
  const limits = limitsOf("target", name);
  return (
    <>
      <chakra.span color="quiet">{words}</chakra.span>
      <span>
        <ValueField
          {...limits}
          fallback={target[name] ?? null}
          label={`Target: ${words}`}
          value={target[name] ?? null}
          step={0.5}
          nullAt={name === "within_lu" ? undefined : "top"}
          format={(value) => (value === null ? "any" : formatNumber(value, 1))}
          onPreview={() => undefined}
          onCommit={(value) => onChange({ ...target, [name]: value })}
          onCancel={() => undefined}
        />{" "}
        <chakra.span color="quiet">{unit}</chakra.span>
      </span>
    </>
  );
}
