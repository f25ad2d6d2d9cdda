import { useEffect, useState } from "react";

import type { Relation } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";

/** Hear what decides, as it is heard there, instead of the mix. Never printed; gone with the sentence. */
export function HearKey({ relation }: { relation: Relation }) {
  const { live } = useActing();
  const [heard, setHeard] = useState(false);
  useEffect(() => {
    if (!heard) return;
    live.hearKey({ strip: relation.targets[0] ?? "", step: relation.steps[0] ?? "" });
    return () => live.hearKey(null);
  }, [heard, live, relation.targets, relation.steps]);
  return (
    <PlainButton
      height="target"
      aria-pressed={heard}
      bg={heard ? "wash" : "transparent"}
      onClick={() => setHeard(!heard)}
    >
      Hear the key
    </PlainButton>
  );
}
