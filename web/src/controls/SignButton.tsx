import { chakra } from "@chakra-ui/react";

type SignButtonProps = {
  label: string;
  sign?: string;
  /** Of the parameter, so that it can be drawn over the song. */
  address?: string;
  onClick: () => void;
};

/** A sign without a frame, as wide as a pointer needs; the label says what it does. A cross takes something away. */
export function SignButton({ label, sign = "×", address, onClick }: SignButtonProps) {
  return (
    <chakra.button
      type="button"
      aria-label={/[a-z]/.test(sign) ? `${label}: ${sign}` : label}
      title={label}
      data-address={address}
      minWidth="target"
      height="target"
      color="quiet"
      cursor="pointer"
      _hover={{ color: "ink" }}
      onClick={onClick}
    >
      {sign}
    </chakra.button>
  );
}
