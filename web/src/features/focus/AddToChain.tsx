import { chakra } from "@chakra-ui/react";

import { usePresets, useProcessors, useRacks } from "../../api/queries";
import type { LanePlace, Processor, Strip } from "../../api/types";
import { useClipboard } from "../../app/clipboard";
import { newProcessor } from "../../app/commands";
import { compareChain } from "../../app/comparison";
import { useActing } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { ActionMenu } from "../../controls/ActionMenu";
import { PlainButton } from "../../controls/PlainButton";
import { copyProcessors, savePreset } from "./chainCommands";

type AddToChainProps = { strip: Strip; chain: Processor[]; into: LanePlace | null };

/** What may come at the end of a chain: processors, lanes, presets, the clipboard. */
export function AddToChain({ strip, chain, into }: AddToChainProps) {
  const { edit } = useActing();
  const { data: kinds } = useProcessors();
  const { data: racks } = useRacks();
  const { data: presets } = usePresets();
  const copied = useClipboard((clipboard) => clipboard.processors);
  const add = (chosen: string) => {
    const [kind, id = ""] = chosen.split(" ");
    const processor = kinds?.find((item) => item.kind === id);
    if (kind === "processor" && processor) void edit(newProcessor(strip, processor.kind, into));
    const rack = racks?.find((item) => item.rack === id);
    if (kind === "lanes" && rack) void edit({ type: "add-parallel", strip: strip.id, rack: rack.rack, into });
    if (kind === "bands") void edit({ type: "add-bands", strip: strip.id, into });
    if (kind === "paste") paste(copied, "");
    if (kind === "compare") compareChain(strip);
    if (kind === "copy") copyProcessors(chain);
    if (kind === "save") void savePreset(chain, `${strip.name} chain`);
    if (kind === "manage") useView.setState({ dialog: "presets" });
    if (kind === "preset") {
      const preset = presets?.find((item) => item.id === id)?.preset;
      if (preset) paste(preset.processors, preset.name);
    }
  };
  const paste = (processors: Processor[], title: string) =>
    void edit({ type: "paste-processors", strips: [strip.id], processors, into, title });
  return (
    <chakra.div display="flex" gap="6px" padding="6px 0" alignItems="center" flexWrap="wrap">
      {into === null && (
        <>
          <PlainButton onClick={() => add("processor eq")}>+ EQ</PlainButton>
          <PlainButton onClick={() => add("processor compressor")}>+ Compressor</PlainButton>
        </>
      )}
      <ActionMenu
        label={into ? "Add to the lane" : "Add to the chain"}
        text={into ? "+ add" : "+ more"}
        items={[
          ...(kinds ?? []).map((kind) => ({ value: `processor ${kind.kind}`, label: kind.label })),
          { value: "bands", label: "Bands: a compressor in each" },
          ...(racks ?? []).map((rack) => ({ value: `lanes ${rack.rack}`, label: `Lanes: ${rack.label}` })),
          ...(presets ?? []).map((item) => ({
            value: `preset ${item.id}`,
            label: `Preset: ${item.preset.name}`,
          })),
          ...(copied.length ? [{ value: "paste", label: `Paste ${copied.length}` }] : []),
          ...(chain.length
            ? [
                ...(into ? [] : [{ value: "compare", label: "Hear with and without this chain" }]),
                { value: "copy", label: "Copy this chain" },
                { value: "save", label: "Save this chain as preset…" },
              ]
            : []),
          { value: "manage", label: "Presets and their files…" },
        ]}
        onSelect={add}
      />
    </chakra.div>
  );
}
