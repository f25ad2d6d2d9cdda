import { chakra } from "@chakra-ui/react";
import { useContext } from "react";

import { OverTimeContext } from "./overTime";

type MovesMarkProps = { name: string; prefix: string; onOpen: () => void };

/** How many parameters of a strip move over the song, and between what; opens them. */
export function MovesMark({ name, prefix, onOpen }: MovesMarkProps) {
  const { curves } = useContext(OverTimeContext);
  const moving = [...curves].filter(([address]) => address.startsWith(prefix)).map(([, curve]) => curve);
  const count = moving.length;
  if (!count) return null;
  const ranges = moving.map(({ label, range }) => `${label} moves ${range}`).join("; ");
  return (
    <chakra.button
      type="button"
      aria-label={`${count} of ${name} move over the song: ${ranges}`}
      title={ranges}
      color="focus"
      fontSize="small"
      fontWeight="700"
      minHeight="target"
      cursor="pointer"
      onClick={onOpen}
    >
      ∿{count}
    </chakra.button>
  );
}
