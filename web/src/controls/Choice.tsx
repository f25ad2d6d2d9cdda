import { chakra } from "@chakra-ui/react";

type ChoiceProps<Value extends string> = {
  label: string;
  value: Value;
  options: { value: Value; label: string }[];
  onChange: (value: Value) => void;
  width?: string;
  color?: string;
};

/** One of a list, as a word that opens. */
export function Choice<Value extends string>(props: ChoiceProps<Value>) {
  const { label, value, options, onChange, width, color } = props;
  return (
    <chakra.select
      aria-label={label}
      value={value}
      width={width ?? "auto"}
      height="target"
      bg="transparent"
      color={color ?? "ink"}
      border="none"
      borderBottom="1px solid"
      borderColor="transparent"
      _hover={{ borderColor: "edge" }}
      appearance="none"
      cursor="pointer"
      textOverflow="ellipsis"
      css={{
        fieldSizing: width ? "fixed" : "content",
        "& option": { background: "var(--chakra-colors-card)", color: "var(--chakra-colors-ink)" },
      }}
      onClick={(event) => event.stopPropagation()}
      onChange={(event) => onChange(event.target.value as Value)}
    >
      {options.map((option) => (
        <option key={option.value} value={option.value}>
          {option.label}
        </option>
      ))}
    </chakra.select>
  );
}
