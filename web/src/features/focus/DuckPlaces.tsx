import { chakra } from "@chakra-ui/react";
import type { DragEvent } from "react";

import type { Duck, DuckTarget } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { show } from "../../app/store";
import { formatDb } from "../../lib/format";

/** A drawn duck where it works on a strip. */
export type PlacedDuck = { duck: Duck; target: DuckTarget };
const DUCK_TYPE = "application/x-gemischt-duck";

/** The ducks of a strip, by what they stand before: a processor, or an end of the chain. */
export function useDucksOn(strip: string): (place: string) => PlacedDuck[] {
  const { ducks } = useOpen().state.document;
  const placed = ducks.flatMap((duck) =>
    duck.targets.filter((target) => target.strip === strip).map((target) => ({ duck, target })),
  );
  return (place) => placed.filter(({ target }) => (target.before ?? target.at) === place);
}

/** What is let go of here, if it is a duck. */
export function duckIn(event: DragEvent): { duck: string; target: string } | null {
  const text = event.dataTransfer.getData(DUCK_TYPE);
  const [duck, target] = text.split("/");
  return duck && target ? { duck, target } : null;
}

/** Whether what is dragged is a duck. */
export function isDuck(event: DragEvent): boolean {
  return event.dataTransfer.types.includes(DUCK_TYPE);
}

type DuckPlacesProps = { ducks: PlacedDuck[]; words: string };

/** Ducks at one place of a chain, to be dragged to another. */
export function DuckPlaces({ ducks, words }: DuckPlacesProps) {
  return ducks.map(({ duck, target }) => (
    <chakra.div
      key={`${duck.id}/${target.id}`}
      draggable
      role="group"
      aria-label={`Duck ${duck.name}, ${words}`}
      title="Drag before another processor, or behind the chain"
      display="flex"
      alignItems="center"
      gap="6px"
      height="target"
      margin="4px 0"
      padding="0 8px"
      border="1px dotted"
      borderColor="key"
      borderRadius="small"
      cursor="grab"
      opacity={duck.on && target.on ? 1 : 0.6}
      onDragStart={(event: DragEvent) => {
        event.stopPropagation();
        event.dataTransfer.effectAllowed = "move";
        event.dataTransfer.setData(DUCK_TYPE, `${duck.id}/${target.id}`);
      }}
    >
      <chakra.button
        type="button"
        flex="1"
        minHeight="target"
        textAlign="left"
        cursor="pointer"
        overflow="hidden"
        textOverflow="ellipsis"
        whiteSpace="nowrap"
        onClick={() => show("Duck")}
      >
        <chakra.strong color="key">Duck</chakra.strong> {duck.name}
      </chakra.button>
      <chakra.span color="quiet">{words}</chakra.span>
      <chakra.span textStyle="number">
        {target.depth_db === null ? "to silence" : `${formatDb(target.depth_db)} dB`}
      </chakra.span>
    </chakra.div>
  ));
}
