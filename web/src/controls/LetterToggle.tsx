import { chakra } from "@chakra-ui/react";

type LetterToggleProps = {
  letter: string;
  label: string;
  on: boolean;
  tone: "over" | "key" | "focus";
  onToggle: () => void;
  boxed?: boolean;
};

/** One letter that is on or off: M, S, ø. */
export function LetterToggle({ letter, label, on, tone, onToggle, boxed }: LetterToggleProps) {
  // Who speaks to the page says what is written on a button.
  const spoken = label.toLowerCase().includes(letter.toLowerCase()) ? label : `${label}: ${letter}`;
  return (
    <chakra.button
      type="button"
      aria-label={spoken}
      aria-pressed={on}
      title={label}
      minWidth="20px"
      height={boxed ? "26px" : "target"}
      padding={boxed ? "0 7px" : "0"}
      borderRadius="small"
      border={boxed ? "1px solid" : "none"}
      borderColor="edge"
      bg={on ? tone : "transparent"}
      color={on ? "card" : "quiet"}
      fontWeight={on ? "700" : "400"}
      cursor="pointer"
      onClick={(event) => {
        event.stopPropagation();
        onToggle();
      }}
    >
      {letter}
    </chakra.button>
  );
}
