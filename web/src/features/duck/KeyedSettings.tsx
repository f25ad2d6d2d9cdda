import type { KeyedProcessor } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { walkChain } from "../../lib/chains";
import { GhostPattern, KeyPicker, Parameters } from "../focus";
import { Block } from "./Side";

/** A keyed compressor or gate: what it hears and how it answers. */
export function KeyedSettings({ strip, processor }: { strip: string; processor: string }) {
  const { strips, edit } = useOpen();
  const owner = strips.get(strip);
  const found = walkChain(owner?.chain ?? []).find(
    (item): item is KeyedProcessor => item.id === processor && "key" in item,
  );
  if (!owner || !found) return null;
  const trigger = strips.get(found.key.from ?? "");
  return (
    <>
      <Block title="Hears">
        <KeyPicker
          strip={owner}
          processor={found}
          onKey={(key) => void edit({ type: "set-processor", strip, processor, key })}
        />
        {trigger?.kind === "ghost" && <GhostPattern strip={trigger} />}
      </Block>
      <Block title="Answers">
        <Parameters
          kind={found.type}
          params={found.params}
          action={(values) => ({ type: "set-processor", strip, processor, ...values })}
          address={`strips/${strip}/chain/${processor}`}
        />
      </Block>
    </>
  );
}
