import { chakra } from "@chakra-ui/react";

import { commandsOf } from "../../app/commands";
import { useOpen } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { Panel } from "./Panel";

const OF_VALUES = [
  ["Drag, or Ctrl+wheel", "change a value; Shift is finer"],
  ["Arrow keys, Page up/down", "step the focused value or fader"],
  ["Digits, Enter", "type a value, with or without its unit"],
  ["Enter", "press the focused button; Space is the transport's"],
  ["Double click", "back to the default"],
  ["Escape", "take a drag back"],
  ["Ctrl+click, Shift+↑ ↓", "select several strips"],
];

/** Every key and what it does. */
export function KeysList() {
  const asked = useView((view) => view.dialog === "keys");
  return asked ? <Keys /> : null;
}

function Keys() {
  const open = useOpen();
  const rows = [
    ...commandsOf(open).flatMap((command) => (command.keys ? [[command.keys, command.name]] : [])),
    ...OF_VALUES,
  ];
  return (
    <Panel title="Keys" onClose={() => useView.setState({ dialog: null })}>
      <chakra.dl display="grid" gridTemplateColumns="auto 1fr" columnGap="16px" rowGap="3px">
        {rows.map(([keys, name]) => (
          <chakra.div key={`${keys}-${name}`} display="contents">
            <chakra.dt textStyle="number">{keys}</chakra.dt>
            <dd>{name}</dd>
          </chakra.div>
        ))}
      </chakra.dl>
    </Panel>
  );
}
