import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import type { ControlGroup, GroupSettings } from "../../api/types";
import { selectedStrips } from "../../app/commands";
import { useOpen } from "../../app/SessionContext";
import { askName, selectStrips } from "../../app/store";
import { Fader } from "../../controls/Fader";
import { LetterToggle } from "../../controls/LetterToggle";
import { PlainButton } from "../../controls/PlainButton";
import { LevelField } from "../../controls/LevelField";
import { size } from "../../theme/tokens";
import { SignButton } from "../../controls/SignButton";

/** Control groups: one level and mute over several strips, their sends after the fader included. */
export function Groups({ faderPx }: { faderPx: number }) {
  const { state } = useOpen();
  const groups = state.document.control_groups;
  if (!groups.length) return null;
  return (
    <chakra.section aria-label="Control groups" marginTop="10px">
      <chakra.div padding="0 12px" color="quiet" fontSize="small" borderBottom="1px solid" borderColor="rule">
        control groups: members and what they send after the fader
      </chakra.div>
      {groups.map((group) => (
        <GroupRow key={group.id} group={group} faderPx={faderPx} />
      ))}
    </chakra.section>
  );
}

function GroupRow({ group, faderPx }: { group: ControlGroup; faderPx: number }) {
  const open = useOpen();
  const { live, edit, strips, state } = open;
  const [movingDb, setMovingDb] = useState<number | null | undefined>(undefined);
  const levelDb = movingDb === undefined ? group.level_db : movingDb;
  const set = (values: Omit<GroupSettings, "type" | "group">) => ({
    type: "set-group" as const,
    group: group.id,
    ...values,
  });
  const preview = (level_db: number | null) => {
    setMovingDb(level_db);
    live.preview(set({ level_db }));
  };
  const commit = (level_db: number | null) => {
    setMovingDb(level_db);
    void edit(set({ level_db })).then(() => setMovingDb(undefined));
  };
  const cancel = () => {
    setMovingDb(undefined);
    live.revert();
  };
  const nameOf = (member: string) =>
    strips.get(member)?.name ?? state.document.control_groups.find((other) => other.id === member)?.name;
  const rename = async () => {
    const name = await askName("Name of the control group", group.name);
    if (name) void edit(set({ name }));
  };
  return (
    <chakra.div
      role="group"
      aria-label={`Control group ${group.name}`}
      display="grid"
      gridTemplateColumns={`170px ${faderPx}px 52px 30px minmax(0, 1fr) auto`}
      alignItems="center"
      gap="8px"
      height={`${size.rowPx}px`}
      padding="0 8px 0 12px"
      borderBottom="1px solid"
      borderColor="rule"
    >
      <chakra.button
        type="button"
        textAlign="left"
        fontWeight="700"
        cursor="pointer"
        height="target"
        title="Select its members; double-click to rename"
        onClick={() => {
          const held = group.members.filter((member) => strips.has(member));
          if (held[0]) selectStrips(held, held[0]);
        }}
        onDoubleClick={() => void rename()}
      >
        {group.name}
      </chakra.button>
      <Fader
        label={`${group.name}: group fader`}
        value={levelDb}
        widthPx={faderPx}
        focused={false}
        onPreview={preview}
        onCommit={commit}
        onCancel={cancel}
      />
      <LevelField
        label={`${group.name}: group level`}
        address={`control_groups/${group.id}/level_db`}
        value={levelDb}
        align="right"
        onPreview={preview}
        onCommit={commit}
        onCancel={cancel}
      />
      <LetterToggle
        letter="M"
        label={`Mute group ${group.name}`}
        address={`control_groups/${group.id}/mute`}
        tone="over"
        on={group.mute}
        onToggle={() => void edit(set({ mute: !group.mute }))}
      />
      <chakra.span
        textStyle="small"
        overflow="hidden"
        textOverflow="ellipsis"
        whiteSpace="nowrap"
        title={group.members.map(nameOf).join(", ")}
      >
        {group.members.map(nameOf).join(", ")}
      </chakra.span>
      <span>
        <PlainButton
          height="target"
          fontSize="small"
          onClick={() => void edit(set({ members: selectedStrips(open.state).map((strip) => strip.id) }))}
        >
          hold the selected
        </PlainButton>{" "}
        <SignButton
          label={`Delete control group ${group.name}`}
          onClick={() => void edit({ type: "remove-group", group: group.id })}
        />
      </span>
    </chakra.div>
  );
}
