import { chakra } from "@chakra-ui/react";

type ProgressBarProps = { label: string; share: number };

/** How far something is. */
export function ProgressBar({ label, share }: ProgressBarProps) {
  const percent = Math.round(100 * share);
  return (
    <chakra.div
      role="progressbar"
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={percent}
      width="130px"
      height="5px"
      bg="rule"
      flexShrink="0"
    >
      <chakra.div height="5px" bg="focus" style={{ width: `${percent}%` }} />
    </chakra.div>
  );
}
