import type { Wish } from "../api/types";
import { PlainButton } from "../controls/PlainButton";
import { useActing } from "./SessionContext";

type CureProps = {
  cure: Wish;
  text: string;
  /** Which revision was measured to find what this cures. */
  revision: number;
  /** Whether that is the session as it is. */
  current: boolean;
};

/** Makes a cure an edit; not while what it cures is being measured anew. */
export function Cure({ cure, text, revision, current }: CureProps) {
  const { edit } = useActing();
  return (
    <PlainButton
      height="target"
      disabled={!current}
      title={current ? undefined : "The song has changed: this is being measured anew"}
      onClick={() => void edit(cure, revision)}
    >
      {text}
    </PlainButton>
  );
}
