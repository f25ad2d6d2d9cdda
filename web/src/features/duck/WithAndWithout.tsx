import type { Relation, Wish } from "../../api/types";
import { compareWith, endComparison, useComparison } from "../../app/comparison";
import { useOpen } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";

const WITH = "with ducking";
const WITHOUT = "without ducking";

/** Hear the song with all of it and without, equally loud; nothing is edited. */
export function WithAndWithout({ relations }: { relations: Relation[] }) {
  const { live, state } = useOpen();
  const comparing = useComparison((store) => store.comparison?.there === WITHOUT);
  if (!relations.length) return null;
  const toggle = () => {
    if (comparing) {
      endComparison(live);
      return;
    }
    const switches = relations.map((relation) => relation.switch);
    const moving = state.document.moves
      .map((move) => move.target)
      .filter((target) => switches.includes(target));
    const off: Wish = {
      type: "set-parameters",
      values: switches.map((address) => ({ address, value: false })),
    };
    compareWith({
      here: WITH,
      there: WITHOUT,
      snapshot: null,
      action: {
        type: "together",
        title: WITHOUT,
        actions: moving.length ? [{ type: "remove-moves", targets: moving }, off] : [off],
      } as Wish,
    });
  };
  return (
    <PlainButton
      height="target"
      aria-pressed={comparing}
      bg={comparing ? "wash" : "transparent"}
      title="Equally loud; X switches between both"
      onClick={toggle}
    >
      with / without
    </PlainButton>
  );
}
