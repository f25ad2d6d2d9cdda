import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import { commandsOf } from "../../app/commands";
import { useOpen } from "../../app/SessionContext";
import { focusStrip, useView } from "../../app/store";
import { Panel } from "./Panel";

const MOST = 12;

/** Finds any action or strip by a part of its name. */
export function Finder() {
  const asked = useView((view) => view.dialog === "finder");
  return asked ? <Finding /> : null;
}

function Finding() {
  const open = useOpen();
  const [text, setText] = useState("");
  const [chosen, setChosen] = useState(0);
  const close = () => useView.setState({ dialog: null });
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const everything = [
    ...open.state.document.strips.map((strip) => ({
      name: strip.name,
      keys: strip.kind as string,
      run: () => focusStrip(strip.id),
    })),
    ...commandsOf(open),
  ];
  const found = everything
    .filter((item) => words.every((word) => item.name.toLowerCase().includes(word)))
    .slice(0, MOST);
  const run = (index: number) => {
    const item = found[index];
    close();
    item?.run();
  };
  return (
    <Panel title="Find an action or strip" onClose={close}>
      <chakra.input
        role="combobox"
        aria-label="Find"
        aria-expanded
        aria-controls="found"
        aria-activedescendant={found[chosen] ? `found-${chosen}` : undefined}
        autoFocus
        value={text}
        width="100%"
        padding="6px 8px"
        border="1px solid"
        borderColor="edge"
        borderRadius="small"
        bg="sheet"
        onChange={(event) => {
          setText(event.target.value);
          setChosen(0);
        }}
        onKeyDown={(event) => {
          const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
          if (by) {
            event.preventDefault();
            setChosen(Math.min(found.length - 1, Math.max(0, chosen + by)));
          }
          if (event.key === "Enter") run(chosen);
        }}
      />
      <chakra.div id="found" role="listbox" aria-label="Found" marginTop="8px">
        {found.map((item, index) => (
          <chakra.div
            key={`${item.name}-${index}`}
            id={`found-${index}`}
            role="option"
            aria-selected={index === chosen}
            display="flex"
            justifyContent="space-between"
            padding="4px 8px"
            minHeight="target"
            bg={index === chosen ? "wash" : "transparent"}
            cursor="pointer"
            onClick={() => run(index)}
          >
            <span>{item.name}</span>
            <chakra.span color={index === chosen ? "ink" : "quiet"}>{item.keys}</chakra.span>
          </chakra.div>
        ))}
        {found.length === 0 && <chakra.div color="quiet">Nothing bears that name.</chakra.div>}
      </chakra.div>
    </Panel>
  );
}
