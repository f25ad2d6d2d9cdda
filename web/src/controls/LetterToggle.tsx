import { chakra } from "@chakra-ui/react";

import { useSwitchOverTime } from "./overTime";

type LetterToggleProps = {
  letter: string;
  label: string;
  on: boolean;
  tone: "over" | "key" | "focus";
  onToggle: () => void;
  boxed?: boolean;
  /** Of the parameter, so that it can be drawn over the song. */
  address?: string;
};

/** One letter that is on or off: M, S, ø. */
export function LetterToggle({ letter, label, tone, boxed, address, ...props }: LetterToggleProps) {
  const { on, isMoving, onToggle } = useSwitchOverTime(address, props.on, props.onToggle);
  // Who speaks to the page says what is written on a button.
  const spoken = label.toLowerCase().includes(letter.toLowerCase()) ? label : `${label}: ${letter}`;
  return (
    <chakra.button
      type="button"
      aria-label={spoken}
      aria-pressed={on}
      title={isMoving ? `${label}: moves over the song` : label}
      data-address={address}
      minWidth="20px"
      height={boxed ? "26px" : "target"}
      padding={boxed ? "0 7px" : "0"}
      borderRadius="small"
      border={boxed ? "1px solid" : "none"}
      borderColor="edge"
      bg={on ? tone : "transparent"}
      color={on ? "card" : "quiet"}
      fontWeight={on ? "700" : "400"}
      fontStyle={isMoving ? "italic" : "normal"}
      textDecoration={isMoving ? "underline wavy" : "none"}
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
