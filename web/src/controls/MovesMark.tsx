import { chakra } from "@chakra-ui/react";
import { useContext } from "react";

import { OverTimeContext } from "./overTime";

type MovesMarkProps = { name: string; prefix: string; onOpen: () => void };

/** How many parameters of a strip move over the song; opens them. */
export function MovesMark({ name, prefix, onOpen }: MovesMarkProps) {
  const { curves } = useContext(OverTimeContext);
  const count = [...curves.keys()].filter((address) => address.startsWith(prefix)).length;
  if (!count) return null;
  return (
    <chakra.button
      type="button"
      aria-label={`${count} of ${name} move over the song`}
      title={`${count} of ${name} move over the song; show them`}
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
