import { chakra } from "@chakra-ui/react";

import type { Strip, Wish } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import { Choice } from "../../controls/Choice";
import { SignButton } from "../../controls/SignButton";
import { NOTES } from "./DuckSettings";

const MOST_STEPS = 64;
const SOFT = 0.5;

/** When a ghost clicks: steps that are loud, soft, or none. */
export function GhostSteps({ strip }: { strip: Strip }) {
  const { edit } = useActing();
  const { pattern } = strip;
  if (pattern?.kind !== "steps") return null;
  const set = (values: Partial<typeof pattern>) =>
    void edit({ type: "set-ghost", strip: strip.id, pattern: { ...pattern, ...values } } as Wish);
  const next = (step: number) => (step === 0 ? 1 : step > SOFT ? SOFT : 0);
  return (
    <chakra.div
      role="group"
      aria-label={`Steps of ${strip.name}`}
      display="flex"
      gap="3px"
      flexWrap="wrap"
      alignItems="center"
    >
      {pattern.steps.map((step, index) => (
        <chakra.button
          key={index}
          type="button"
          aria-label={`Step ${index + 1} of ${pattern.steps.length}: ${step === 0 ? "none" : step > SOFT ? "loud" : "soft"}`}
          width="target"
          height="target"
          border="1px solid"
          borderColor="key"
          position="relative"
          cursor="pointer"
          onClick={() =>
            set({ steps: pattern.steps.map((old, place) => (place === index ? next(old) : old)) })
          }
        >
          <chakra.span
            position="absolute"
            left="3px"
            right="3px"
            bottom="3px"
            bg="key"
            style={{ height: `${Math.round(16 * step)}px` }}
          />
        </chakra.button>
      ))}
      <SignButton
        sign="+"
        label="One step more"
        onClick={() => pattern.steps.length < MOST_STEPS && set({ steps: [...pattern.steps, 0] })}
      />
      <SignButton
        sign="−"
        label="One step less"
        onClick={() => pattern.steps.length > 1 && set({ steps: pattern.steps.slice(0, -1) })}
      />
      <Choice label="Step length" value={pattern.note} options={NOTES} onChange={(note) => set({ note })} />
    </chakra.div>
  );
}
