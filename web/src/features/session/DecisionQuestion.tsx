import { chakra } from "@chakra-ui/react";

import { useView } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { Panel } from "./Panel";

/** Asks which of a few, wherever an edit cannot decide alone. */
export function DecisionQuestion() {
  const decision = useView((view) => view.decision);
  if (!decision) return null;
  return (
    <Panel title={decision.title} onClose={() => decision.answer(null)}>
      <chakra.div display="grid" gap="6px">
        {decision.options.map((option, index) => (
          <PlainButton
            key={option.value}
            autoFocus={index === 0}
            height="30px"
            textAlign="left"
            onClick={() => decision.answer(option.value)}
          >
            {option.label}
          </PlainButton>
        ))}
        <chakra.div display="flex" justifyContent="flex-end" marginTop="6px">
          <PlainButton onClick={() => decision.answer(null)}>Cancel</PlainButton>
        </chakra.div>
      </chakra.div>
    </Panel>
  );
}
