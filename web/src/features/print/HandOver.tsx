import { chakra } from "@chakra-ui/react";

import { useOpen } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";

/** The song for somebody else. */
export function HandOver() {
  const { state } = useOpen();
  return (
    <chakra.div padding="24px" maxWidth="720px" display="grid" gap="20px" overflowY="auto">
      <Way
        title="The session"
        words="Everything as it is, with its audio, in one zip: to be opened in Gemischt."
        href={`/api/sessions/${state.id}/archive`}
        button="Save the session"
      />
    </chakra.div>
  );
}

function Way({ title, words, href, button }: { title: string; words: string; href: string; button: string }) {
  return (
    <chakra.section aria-label={title} display="grid" gap="6px">
      <chakra.h2 fontWeight="700">{title}</chakra.h2>
      <chakra.p color="quiet">{words}</chakra.p>
      <span>
        <PlainButton asChild display="inline-flex" alignItems="center">
          <a href={href} download>
            {button}
          </a>
        </PlainButton>
      </span>
    </chakra.section>
  );
}
