import { useEffect, useState } from "react";

import type { Relation } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";

/** Hear what decides, as it is heard there, instead of the mix. Never printed; gone with the sentence. */
export function HearKey({ relation, target }: { relation: Relation; target: string }) {
  const { live } = useActing();
  const [heard, setHeard] = useState(false);
  const step = relation.steps[relation.targets.indexOf(target)] ?? "";
  useEffect(() => {
    if (!heard) return;
    live.hearKey({ strip: target, step });
    return () => live.hearKey(null);
  }, [heard, live, target, step]);
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
