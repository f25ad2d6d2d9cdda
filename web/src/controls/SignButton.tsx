import { chakra } from "@chakra-ui/react";

type SignButtonProps = { label: string; sign?: string; onClick: () => void };

/** A sign without a frame, as wide as a pointer needs; the label says what it does. A cross takes something away. */
export function SignButton({ label, sign = "×", onClick }: SignButtonProps) {
  return (
    <chakra.button
      type="button"
      aria-label={/[a-z]/.test(sign) ? `${label}: ${sign}` : label}
      title={label}
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
