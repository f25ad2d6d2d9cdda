import { chakra } from "@chakra-ui/react";

type SegmentsProps<T extends string> = {
  label: string;
  options: readonly T[];
  value: T;
  onChange: (value: T) => void;
};

/** One of a few words, side by side. */
export function Segments<T extends string>({ label, options, value, onChange }: SegmentsProps<T>) {
  return (
    <chakra.div
      role="radiogroup"
      aria-label={label}
      display="inline-flex"
      border="1px solid"
      borderColor="rule"
      borderRadius="small"
    >
      {options.map((option) => (
        <chakra.button
          key={option}
          type="button"
          role="radio"
          aria-checked={option === value}
          height="26px"
          padding="0 10px"
          bg={option === value ? "card" : "transparent"}
          fontWeight={option === value ? "700" : "400"}
          borderBottom="2px solid"
          borderColor={option === value ? "focus" : "transparent"}
          cursor="pointer"
          whiteSpace="nowrap"
          onClick={() => onChange(option)}
        >
          {option}
        </chakra.button>
      ))}
    </chakra.div>
  );
}
