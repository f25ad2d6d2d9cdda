import { chakra } from "@chakra-ui/react";
import { useRef } from "react";

import { server } from "../../api/client";
import { refreshPresets, usePresets } from "../../api/queries";
import { report } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { Panel } from "../session";
import { bringInPreset } from "./chainCommands";
import { SignButton } from "../../controls/SignButton";

/** Presets kept on this machine, their files out and in. */
export function PresetList() {
  const asked = useView((view) => view.dialog === "presets");
  return asked ? <Listing /> : null;
}

function Listing() {
  const { data: presets } = usePresets();
  const input = useRef<HTMLInputElement>(null);
  const remove = async (id: string) => {
    try {
      await server.DELETE("/api/presets/{preset_id}", { params: { path: { preset_id: id } } });
      refreshPresets();
    } catch (failure) {
      report(failure);
    }
  };
  return (
    <Panel title="Presets" onClose={() => useView.setState({ dialog: null })}>
      {presets?.length === 0 && (
        <chakra.p color="quiet">
          None yet: “⋯” on a card, or “+ more…” under a chain, saves a processor, lanes, or a whole chain.
        </chakra.p>
      )}
      <chakra.ul listStyleType="none" aria-label="Presets">
        {presets?.map((item) => (
          <chakra.li key={item.id} display="flex" gap="8px" alignItems="center" minHeight="30px">
            <chakra.span flex="1">{item.preset.name}</chakra.span>
            <chakra.span color="quiet" fontSize="small">
              {item.preset.processors.length === 1
                ? item.preset.processors[0]?.type
                : `${item.preset.processors.length} processors`}
            </chakra.span>
            <chakra.a
              href={`/api/presets/${item.id}/file`}
              download
              textDecoration="underline"
              textUnderlineOffset="3px"
            >
              file
            </chakra.a>
            <SignButton label={`Delete preset ${item.preset.name}`} onClick={() => void remove(item.id)} />
          </chakra.li>
        ))}
      </chakra.ul>
      <input
        ref={input}
        type="file"
        hidden
        accept=".json"
        aria-label="Preset file"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) void bringInPreset(file);
          event.target.value = "";
        }}
      />
      <PlainButton marginTop="10px" onClick={() => input.current?.click()}>
        Bring in a preset file…
      </PlainButton>
    </Panel>
  );
}
