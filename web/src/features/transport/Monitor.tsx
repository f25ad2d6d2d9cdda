import { chakra } from "@chakra-ui/react";

import { listen, useMonitor } from "../../app/monitoring";
import { useActing } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { Choice } from "../../controls/Choice";
import { MONITOR_MODES, type MonitorMode } from "../../live/live";

const WORDS: Record<MonitorMode, string> = {
  stereo: "hear L R",
  mono: "mono",
  left: "left",
  right: "right",
  mid: "mid",
  side: "side",
  headphones: "on headphones",
};

/** How the mix is heard: dimmed, summed, one side. Nothing of it is printed. */
export function Monitor() {
  const { live } = useActing();
  const { mode, dim } = useMonitor();
  return (
    <chakra.span display="inline-flex" alignItems="center" gap="4px" fontSize="small">
      <chakra.button
        type="button"
        aria-pressed={dim}
        title="Dim by 20 dB; never printed"
        height="26px"
        padding="0 7px"
        borderRadius="small"
        border="1px solid"
        borderColor="edge"
        bg={dim ? "focus" : "transparent"}
        color={dim ? "card" : "ink"}
        cursor="pointer"
        onClick={() => listen(live, { dim: !dim })}
      >
        dim
      </chakra.button>
      <Choice
        label="Hear"
        value={mode}
        width="58px"
        color={mode === "stereo" ? "ink" : "focus"}
        options={MONITOR_MODES.map((item) => ({ value: item, label: WORDS[item] }))}
        onChange={(next) => listen(live, { mode: next as MonitorMode })}
      />
      <chakra.button
        type="button"
        height="26px"
        padding="0 7px"
        borderRadius="small"
        border="1px solid"
        borderColor="edge"
        cursor="pointer"
        onClick={() => useView.setState({ dialog: "snapshots" })}
      >
        compare
      </chakra.button>
    </chakra.span>
  );
}
