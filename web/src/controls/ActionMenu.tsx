import { chakra, Menu, Portal } from "@chakra-ui/react";

import { PlainButton } from "./PlainButton";

type ActionMenuProps<Value extends string> = {
  label: string;
  /** What the button says. */
  text: string;
  hint?: string;
  items: { value: Value; label: string }[];
  onSelect: (value: Value) => void;
  color?: string;
};

/** A list of things to do: nothing happens before one of them is chosen. */
export function ActionMenu<Value extends string>({
  label,
  text,
  hint,
  items,
  onSelect,
  color = "ink",
}: ActionMenuProps<Value>) {
  return (
    <Menu.Root onSelect={({ value }) => onSelect(value as Value)} positioning={{ placement: "bottom-start" }}>
      <Menu.Trigger asChild>
        <PlainButton
          aria-label={label.includes(text) ? label : `${label}: ${text}`}
          title={hint ?? label}
          height="target"
          padding="0 6px"
          color={color}
          onClick={(event) => event.stopPropagation()}
        >
          {text} <chakra.span aria-hidden>▾</chakra.span>
        </PlainButton>
      </Menu.Trigger>
      <Portal>
        <Menu.Positioner>
          <Menu.Content aria-label={label}>
            {items.map((item) => (
              <Menu.Item key={item.value} value={item.value}>
                {item.label}
              </Menu.Item>
            ))}
          </Menu.Content>
        </Menu.Positioner>
      </Portal>
    </Menu.Root>
  );
}
