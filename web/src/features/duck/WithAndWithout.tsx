import { useState } from "react";

import type { Relation } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import { Segments } from "../../controls/Segments";

const OPTIONS = ["with ducking", "without"] as const;

/** Hear the song without any of it; nothing is edited. */
export function WithAndWithout({ relations }: { relations: Relation[] }) {
  const { live } = useActing();
  const [heard, setHeard] = useState<(typeof OPTIONS)[number]>("with ducking");
  if (!relations.length) return null;
  return (
    <Segments
      label="Hear"
      options={OPTIONS}
      value={heard}
      onChange={(next) => {
        setHeard(next);
        if (next === "with ducking") live.revert();
        else
          live.preview({
            type: "set-parameters",
            values: relations.map((item) => ({ address: item.switch, value: false })),
          });
      }}
    />
  );
}
