import { chakra } from "@chakra-ui/react";

import type { Parameter, Relation, RelationWord, Strip, Wish } from "../../api/types";
import { useActing, useOpen } from "../../app/SessionContext";
import { focusStrip } from "../../app/store";
import { WishField } from "../../app/WishField";
import { Choice } from "../../controls/Choice";
import { parameterAt, valueIn } from "../../lib/addresses";
import { walkChain } from "../../lib/chains";
import { formatNumber } from "../../lib/format";
import { showValue } from "../../lib/moves";

/** A sentence: its strips can be gone to, its trigger chosen, its figures set in place. */
export function Words({ relation, onChoose }: { relation: Relation; onChoose: () => void }) {
  return relation.words.map((word, index) => {
    if (word.role === "target" && word.strip) {
      return (
        <chakra.button
          key={index}
          type="button"
          fontWeight="700"
          borderBottom="1px solid"
          borderColor="edge"
          cursor="pointer"
          onClick={() => {
            onChoose();
            focusStrip(word.strip ?? "");
          }}
        >
          {word.text}
        </chakra.button>
      );
    }
    if (word.role === "trigger" && word.strip) {
      return <Trigger key={index} relation={relation} strip={word.strip} />;
    }
    if (word.address && word.role !== "when")
      return <Figure key={index} word={word} address={word.address} />;
    return (
      <chakra.span key={index} color={word.role === "plain" ? "quiet" : "ink"}>
        {word.text.replace(/-(?=\d)/g, "−")}
      </chakra.span>
    );
  });
}

function Figure({ word, address }: { word: RelationWord; address: string }) {
  const { state } = useOpen();
  const parameter = parameterAt(state.document, address);
  const found = valueIn(state.document, address);
  if (!parameter || parameter.kind !== "number") return <span>{word.text}</span>;
  const value = typeof found === "number" ? found : null;
  const isDepth = address.endsWith("/depth_db");
  return (
    <WishField
      label={`${parameter.label} of the sentence`}
      address={address}
      value={value}
      minimum={parameter.minimum ?? 0}
      maximum={parameter.maximum ?? 1}
      fallback={typeof parameter.default === "number" ? parameter.default : null}
      logarithmic={parameter.scale === "logarithmic"}
      step={parameter.scale === "logarithmic" ? 0.02 : 0.5}
      nullAt={parameter.none == null ? undefined : isDepth ? "bottom" : "top"}
      emphasis
      format={(shown) => (isDepth && shown === null ? "to silence" : showFigure(parameter, shown))}
      wish={(next) => ({ type: "set-parameters", values: [{ address, value: next }] })}
    />
  );
}

/** As sentences say figures: no more digits than count. */
function showFigure(parameter: Parameter, value: number | null): string {
  if (value !== null && parameter.unit === "Hz" && value >= 1000)
    return `${formatNumber(value / 1000, 1)} kHz`;
  if (value === null || parameter.unit === "dB" || parameter.unit === "Hz")
    return showValue(parameter, value);
  const figure = formatNumber(value, value >= 10 ? 0 : 1);
  return parameter.unit === ":1" ? `${figure}:1` : `${figure} ${parameter.unit}`.trim();
}

function Trigger({ relation, strip }: { relation: Relation; strip: string }) {
  const { strips, state } = useOpen();
  const { edit } = useActing();
  const color = relation.kind === "follower" ? "follow" : "key";
  const options = [...strips.values()]
    .filter((other) => other.kind !== "mix" && (!relation.targets.includes(other.id) || other.id === strip))
    .map((other) => ({
      value: other.id,
      label: relation.targets.includes(other.id) ? "what feeds it" : other.name,
    }));
  const choose = (from: string) => {
    if (relation.kind === "follower") {
      void edit({ type: "set-follower", follower: relation.owner, source: from } as Wish);
      return;
    }
    const duck = state.document.ducks.find((item) => item.id === relation.owner);
    if (relation.kind === "duck" && duck?.clock.kind === "hits") {
      void edit({ type: "set-duck", duck: duck.id, clock: { ...duck.clock, from } });
      return;
    }
    const owner = strips.get(relation.targets[0] ?? "");
    const equaliser = walkChain(owner?.chain ?? []).find((item) => item.id === relation.owner);
    if (relation.kind === "band" && equaliser?.type === "eq") {
      const bands = equaliser.params.bands.map((band) =>
        band.id === relation.band?.[1] && band.motion
          ? { ...band, motion: { ...band.motion, key: { ...band.motion.key, from } } }
          : band,
      );
      void edit({
        type: "set-processor",
        strip: owner?.id ?? "",
        processor: equaliser.id,
        params: { bands },
      });
      return;
    }
    const key = keyOf(owner, relation.owner);
    if (key)
      void edit({
        type: "set-processor",
        strip: relation.targets[0] ?? "",
        processor: relation.owner,
        key: { ...key, from },
      });
  };
  return (
    <chakra.span fontWeight="700" borderBottom="2px dotted" borderColor={color}>
      <Choice label="Trigger" value={strip} color={color} options={options} onChange={choose} />
    </chakra.span>
  );
}

function keyOf(strip: Strip | undefined, processor: string) {
  const found = walkChain(strip?.chain ?? []).find((item) => item.id === processor);
  return found && "key" in found ? found.key : null;
}
