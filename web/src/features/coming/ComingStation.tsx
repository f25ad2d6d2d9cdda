import { chakra } from "@chakra-ui/react";

import type { Station } from "../../app/store";

const WORDS: Partial<Record<Station, string>> = {
  Place: "Where every strip stands: pan, width, depth, and what is lost in mono.",
};

/** A station that is still to come says what it will do. */
export function ComingStation({ station }: { station: Station }) {
  return (
    <chakra.div padding="48px" color="quiet" fontSize="title">
      <chakra.h1 color="ink" fontWeight="700">
        {station}
      </chakra.h1>
      {WORDS[station]} Not built yet.
    </chakra.div>
  );
}
