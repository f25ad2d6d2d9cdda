import { chakra } from "@chakra-ui/react";
import { memo, useState, type DragEvent } from "react";

import { useProcessors } from "../../api/queries";
import type { LanePlace, Processor, ProcessorValues, Strip } from "../../api/types";
import { compareWith } from "../../app/comparison";
import { useActing } from "../../app/SessionContext";
import { ActionMenu } from "../../controls/ActionMenu";
import { useSwitchOverTime } from "../../controls/overTime";
import { SignButton } from "../../controls/SignButton";
import { AddToChain } from "./AddToChain";
import { copyProcessors, savePreset } from "./chainCommands";
import { KeyedCard } from "./KeyedCard";
import { DuckPlaces, duckIn, isDuck, useDucksOn } from "./DuckPlaces";
import { EqCard } from "./EqCard";
import { LanesCard } from "./LanesCard";
import { PlainCard } from "./PlainCard";

type ChainProps = { strip: Strip; chain: Processor[]; into: LanePlace | null };

/** A chain's cards in signal order; they are moved by dragging or from the menu on their heads. */
export const Chain = memo(function Chain({ strip, chain, into }: ChainProps) {
  const [dragged, setDragged] = useState<string | null>(null);
  const { edit } = useActing();
  const ducksAt = useDucksOn(strip.id);
  const move = (processor: string, to: number) =>
    void edit({ type: "move-processor", strip: strip.id, processor, to });
  const placeDuck = (event: DragEvent, settings: { before: string | null; at?: "pre-fader" }) => {
    const duck = duckIn(event);
    if (!duck) return false;
    event.preventDefault();
    event.stopPropagation();
    void edit({ type: "set-duck-target", ...duck, settings });
    return true;
  };
  const own = into === null;
  return (
    <>
      {own && <DuckPlaces ducks={ducksAt("pre-chain")} words="before its chain" />}
      {chain.map((processor, place) => [
        <DuckPlaces key={`ducks ${processor.id}`} ducks={ducksAt(processor.id)} words="before this" />,
        <Card
          key={processor.id}
          strip={strip}
          processor={processor}
          place={place}
          last={place === chain.length - 1}
          inLane={into !== null}
          onMove={(to) => move(processor.id, to)}
          onDragStart={() => setDragged(processor.id)}
          onDrop={(event) => {
            if (placeDuck(event, { before: processor.id })) return;
            if (dragged && dragged !== processor.id) move(dragged, place);
            setDragged(null);
          }}
          dropping={dragged !== null && dragged !== processor.id}
        />,
      ])}
      {own && <DuckPlaces ducks={ducksAt("pre-fader")} words="after its chain" />}
      <chakra.div
        onDragOver={(event: DragEvent) => own && isDuck(event) && event.preventDefault()}
        onDrop={(event: DragEvent) => placeDuck(event, { before: null, at: "pre-fader" })}
      >
        <AddToChain strip={strip} chain={chain} into={into} />
      </chakra.div>
      {own && <DuckPlaces ducks={ducksAt("post-fader")} words="after its fader" />}
    </>
  );
});

type CardProps = {
  strip: Strip;
  processor: Processor;
  place: number;
  last: boolean;
  inLane: boolean;
  onMove: (to: number) => void;
  onDragStart: () => void;
  onDrop: (event: DragEvent) => void;
  dropping: boolean;
};

function Card({ strip, processor, place, last, inLane, onMove, onDragStart, onDrop, dropping }: CardProps) {
  const { edit } = useActing();
  const { data: kinds } = useProcessors();
  const label =
    processor.type === "parallel"
      ? processor.name
      : (kinds?.find((kind) => kind.kind === processor.type)?.label ?? processor.type);
  const set = (values: ProcessorValues) =>
    void edit({ type: "set-processor", strip: strip.id, processor: processor.id, ...values });
  const address = `strips/${strip.id}/chain/${processor.id}/on`;
  const bypass = useSwitchOverTime(address, processor.on, () => set({ on: !processor.on }));
  const hearWithout = () =>
    compareWith({
      here: processor.on ? `with ${label}` : `without ${label}`,
      there: processor.on ? `without ${label}` : `with ${label}`,
      snapshot: null,
      action: { type: "set-processor", strip: strip.id, processor: processor.id, on: !processor.on },
    });
  return (
    <chakra.section
      data-rung={inLane ? undefined : ""}
      data-processor={processor.id}
      aria-label={`${label} of ${strip.name}`}
      margin="5px 0"
      padding="4px 8px 6px"
      border="1px solid"
      borderColor="edge"
      borderRadius="small"
      bg="sheet"
      opacity={bypass.on ? 1 : 0.65}
      onDragOver={(event: DragEvent) => (dropping || isDuck(event)) && event.preventDefault()}
      onDrop={onDrop}
    >
      <chakra.div
        draggable
        display="flex"
        alignItems="center"
        height="target"
        cursor="grab"
        title="Drag to another place in the chain"
        onDragStart={(event: DragEvent) => {
          event.stopPropagation();
          event.dataTransfer.effectAllowed = "move";
          onDragStart();
        }}
      >
        <chakra.strong flex="1" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
          {label}
        </chakra.strong>
        <SignButton
          label={bypass.on ? `Bypass ${label}` : `Switch ${label} on`}
          sign={bypass.on ? "on" : "off"}
          address={address}
          onClick={bypass.onToggle}
        />
        <ActionMenu
          label={`More for ${label}`}
          text="⋯"
          color="quiet"
          items={[
            ...(place > 0 ? [{ value: "up", label: "Move up" }] : []),
            ...(last ? [] : [{ value: "down", label: "Move down" }]),
            { value: "without", label: processor.on ? "Hear without it" : "Hear with it" },
            { value: "copy", label: "Copy" },
            { value: "save", label: "Save as preset…" },
          ]}
          onSelect={(chosen) => {
            if (chosen === "up") onMove(place - 1);
            if (chosen === "down") onMove(place + 1);
            if (chosen === "without") hearWithout();
            if (chosen === "copy") copyProcessors([processor]);
            if (chosen === "save") void savePreset([processor], label);
          }}
        />
        <SignButton
          label={`Remove ${label}`}
          onClick={() => void edit({ type: "remove-processor", strip: strip.id, processor: processor.id })}
        />
        <chakra.span
          data-level
          textStyle="number"
          fontWeight="700"
          minWidth="44px"
          textAlign="right"
          data-of={processor.id}
        >
          −∞
        </chakra.span>
      </chakra.div>
      {processor.type === "eq" ? (
        <EqCard strip={strip} processor={processor} />
      ) : processor.type === "compressor" || processor.type === "gate" ? (
        <KeyedCard strip={strip} processor={processor} />
      ) : processor.type === "parallel" ? (
        <LanesCard strip={strip} processor={processor} />
      ) : (
        <PlainCard strip={strip} processor={processor} />
      )}
    </chakra.section>
  );
}
