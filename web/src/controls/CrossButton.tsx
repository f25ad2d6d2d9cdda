import { chakra } from "@chakra-ui/react";

type CrossButtonProps = { label: string; onClick: () => void };

/** Takes something away; the label says what. */
export function CrossButton({ label, onClick }: CrossButtonProps) {
  return (
    <chakra.button
      type="button"
      aria-label={label}
      title={label}
      minWidth="target"
      height="target"
      color="quiet"
      cursor="pointer"
      _hover={{ color: "ink" }}
      onClick={onClick}
    >
      ×
    </chakra.button>
  );
}
