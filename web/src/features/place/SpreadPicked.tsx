import { chakra } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";

import { answer, server } from "../../api/client";
import { limitsOf } from "../../api/parameters";
import type { Strip, Wish } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";
import { ValueField } from "../../controls/ValueField";
import type { StagePlace } from "./report";

const WAYS = [
  { how: "mirror", words: "Mirror in pairs", title: "In their order, the first pair outermost" },
  { how: "fan", words: "Fan out", title: "Evenly from left to right in their order" },
  {
    how: "from-middle",
    words: "Low ones to the middle",
    title: "The lowest in the middle, the others beside it in turn",
  },
] as const;
const ARC = limitsOf("spread", "arc");

type SpreadPickedProps = {
  picked: Strip[];
  places: Map<string, StagePlace>;
  stale: boolean;
  /** Where they would stand, while somebody looks. */
  onForeseen: (strips: Map<string, Strip> | null) => void;
};

/** Place what is picked over an arc; where it would stand is shown before. */
export function SpreadPicked({ picked, places, stale, onForeseen }: SpreadPickedProps) {
  const { state, edit } = useOpen();
  const [arc, setArc] = useState(ARC.fallback ?? ARC.maximum);
  const asked = useRef(0);
  const wish = (how: (typeof WAYS)[number]["how"]): Wish => {
    const centreOf = (strip: Strip) => places.get(strip.id)?.centre_hz ?? 0;
    const order =
      how === "from-middle" ? [...picked].sort((one, other) => centreOf(one) - centreOf(other)) : picked;
    return { type: "spread-strips", strips: order.map((strip) => strip.id), how, arc } as Wish;
  };
  const forget = () => {
    asked.current += 1;
    onForeseen(null);
  };
  const foresee = async (how: (typeof WAYS)[number]["how"]) => {
    const request = ++asked.current;
    const strips = await answer(
      server.POST("/api/sessions/{session_id}/edits/foreseen", {
        params: { path: { session_id: state.id } },
        body: { action: wish(how) },
      }),
    ).catch(() => []);
    if (request === asked.current) onForeseen(new Map(strips.map((strip) => [strip.id, strip])));
  };
  useEffect(() => forget, []); // eslint-disable-line react-hooks/exhaustive-deps -- once, at the end
  return (
    <>
      <chakra.span color="quiet">over an arc of</chakra.span>
      <ValueField
        {...ARC}
        label="Arc"
        value={arc}
        step={0.05}
        width="44px"
        format={(value) => `${Math.round(100 * (value ?? 0))} %`}
        onPreview={() => undefined}
        onCommit={(value) => setArc(value ?? ARC.maximum)}
        onCancel={() => undefined}
      />
      {WAYS.map(({ how, words, title }) => (
        <PlainButton
          key={how}
          height="target"
          title={title}
          disabled={how === "from-middle" && stale}
          onPointerEnter={() => void foresee(how)}
          onFocus={() => void foresee(how)}
          onPointerLeave={forget}
          onBlur={forget}
          onClick={() => {
            forget();
            void edit(wish(how));
          }}
        >
          {words}
        </PlainButton>
      ))}
    </>
  );
}
