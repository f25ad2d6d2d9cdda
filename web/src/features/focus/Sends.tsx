import { chakra } from "@chakra-ui/react";

import type { Send, SendSettings, Strip, Wish } from "../../api/types";
import { selectedStrips } from "../../app/commands";
import { useClipboard } from "../../app/clipboard";
import { useOpen } from "../../app/SessionContext";
import { notify } from "../../app/store";
import { ActionMenu } from "../../controls/ActionMenu";
import { Choice } from "../../controls/Choice";
import { LetterToggle } from "../../controls/LetterToggle";
import { LevelField } from "../../controls/LevelField";
import { SignButton } from "../../controls/SignButton";

const TAPS: { value: Send["tap"]; label: string }[] = [
  { value: "post-fader", label: "after fader" },
  { value: "pre-fader", label: "before fader" },
  { value: "pre-chain", label: "before chain" },
];

/** The strip's sends; with several strips selected, those to the same place change together. */
export function Sends({ strip }: { strip: Strip }) {
  const open = useOpen();
  const { strips, edit } = open;
  const copied = useClipboard((clipboard) => clipboard.sends);
  const goals = [...strips.values()].filter(
    (other) => other.id !== strip.id && other.kind !== "track" && other.kind !== "ghost",
  );
  const together = () => {
    const selected = selectedStrips(open.state);
    const all = selected.some((other) => other.id === strip.id) ? selected : [strip];
    return all.filter((other) => other.kind !== "mix");
  };
  const add = (chosen: string) => {
    const ids = together().map((other) => other.id);
    if (chosen === "paste") void edit({ type: "paste-sends", strips: ids, sends: copied });
    else if (chosen === "copy") {
      useClipboard.setState({ sends: strip.sends });
      notify("done", `${strip.sends.length} sends copied.`);
    } else void edit({ type: "add-send", strips: ids.filter((id) => id !== chosen), to: chosen });
  };
  if (strip.kind === "mix") return null;
  return (
    <chakra.div padding="4px 0" borderBottom="1px solid" borderColor="rule" role="group" aria-label="Sends">
      {strip.sends.map((send) => (
        <SendRow
          key={send.id}
          strip={strip}
          send={send}
          changes={(values) => ({
            type: "set-sends" as const,
            changes: together().flatMap((other) =>
              other.sends
                .filter((candidate) =>
                  other.id === strip.id ? candidate.id === send.id : candidate.to === send.to,
                )
                .map((candidate) => ({ strip: other.id, send: candidate.id, ...values })),
            ),
          })}
        />
      ))}
      <ActionMenu
        label="New send"
        text="+ send to"
        hint="A new send begins at −12 dB; double-click its level for 0"
        color="send"
        items={[
          ...goals.map((goal) => ({ value: goal.id, label: goal.name })),
          ...(strip.sends.length ? [{ value: "copy", label: "Copy these sends" }] : []),
          ...(copied.length ? [{ value: "paste", label: `Paste ${copied.length} sends` }] : []),
        ]}
        onSelect={add}
      />
    </chakra.div>
  );
}

type SendRowProps = {
  strip: Strip;
  send: Send;
  changes: (values: Omit<SendSettings, "strip" | "send">) => Wish;
};

function SendRow({ strip, send, changes }: SendRowProps) {
  const { strips, live, edit } = useOpen();
  const goal = strips.get(send.to)?.name ?? send.to;
  return (
    <chakra.div display="flex" alignItems="center" gap="6px" height="target" fontSize="small">
      <LetterToggle
        letter={send.on ? "on" : "off"}
        label={`Send to ${goal}`}
        address={`strips/${strip.id}/sends/${send.id}/on`}
        tone="focus"
        on={send.on}
        onToggle={() => void edit(changes({ on: !send.on }))}
      />
      <chakra.span
        flex="1"
        color="send"
        fontWeight="700"
        overflow="hidden"
        textOverflow="ellipsis"
        whiteSpace="nowrap"
      >
        {goal}
      </chakra.span>
      <Choice
        label={`Send to ${goal}: tap`}
        value={send.tap}
        width="78px"
        options={TAPS}
        onChange={(tap) => void edit(changes({ tap }))}
      />
      <LevelField
        label={`Send to ${goal}: level`}
        address={`strips/${strip.id}/sends/${send.id}/level_db`}
        value={send.level_db}
        width="44px"
        align="right"
        onPreview={(value) => live.preview(changes({ level_db: value }))}
        onCommit={(value) => void edit(changes({ level_db: value }))}
        onCancel={() => live.revert()}
      />
      <SignButton
        label={`Remove send to ${goal}`}
        onClick={() => void edit({ type: "remove-sends", sends: [{ strip: strip.id, send: send.id }] })}
      />
    </chakra.div>
  );
}
