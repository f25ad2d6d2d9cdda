import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import { useView, type Question } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { Panel } from "./Panel";

/** Asks for a name whenever something needs one. */
export function NameQuestion() {
  const question = useView((view) => view.question);
  return question ? <Asking key={question.title} question={question} /> : null;
}

function Asking({ question }: { question: Question }) {
  const [name, setName] = useState(question.initial);
  return (
    <Panel title={question.title} onClose={() => question.answer(null)}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          question.answer(name.trim() || null);
        }}
      >
        <chakra.input
          aria-label="Name"
          autoFocus
          value={name}
          maxLength={200}
          width="100%"
          padding="6px 8px"
          border="1px solid"
          borderColor="edge"
          borderRadius="small"
          bg="sheet"
          onFocus={(event) => event.target.select()}
          onChange={(event) => setName(event.target.value)}
        />
        <chakra.div display="flex" gap="8px" justifyContent="flex-end" marginTop="12px">
          <PlainButton onClick={() => question.answer(null)}>Cancel</PlainButton>
          <PlainButton type="submit" bg="ink" color="card" _hover={{ bg: "focus" }}>
            OK
          </PlainButton>
        </chakra.div>
      </form>
    </Panel>
  );
}
