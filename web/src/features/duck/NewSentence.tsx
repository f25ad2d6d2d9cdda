import { useWays } from "../../api/queries";
import type { Way } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { askWhich, useView } from "../../app/store";
import { walkChain } from "../../lib/chains";
import { PlainButton } from "../../controls/PlainButton";

/** Let a strip make room: which one, for which, and how. */
export function NewSentence({ onMade }: { onMade: (relation: string) => void }) {
  const { strips, edit, now } = useOpen();
  const { data: ways = [] } = useWays();
  const focused = useView((view) => view.focused);
  const make = async () => {
    const others = [...strips.values()].filter((strip) => strip.kind !== "mix");
    const listed = (items: typeof others) => items.map((item) => ({ value: item.id, label: item.name }));
    const first = (id: string) => (one: { id: string }) => (one.id === id ? -1 : 0);
    const targets = others
      .filter((strip) => strip.kind !== "ghost")
      .sort((one, other) => first(focused)(one) - first(focused)(other));
    const target = await askWhich("Which strip is to make room?", listed(targets));
    if (!target) return;
    const trigger = await askWhich(
      `For which strip does ${strips.get(target)?.name} make room?`,
      listed(others.filter((strip) => strip.id !== target)),
    );
    if (!trigger) return;
    const way = await askWhich(
      "How?",
      ways.map((item) => ({ value: item.way, label: item.label })),
    );
    if (!way) return;
    const before = new Set(now().document.ducks.map((duck) => duck.id));
    if (!(await edit({ type: "make-room", targets: [target], trigger, way: way as Way["way"] }))) return;
    const { document } = now();
    const duck = document.ducks.find((item) => !before.has(item.id));
    const chain = document.strips.find((strip) => strip.id === target)?.chain ?? [];
    const added = walkChain(chain).findLast((item) => "key" in item && item.key.from === trigger);
    onMade(duck ? `ducks/${duck.id}` : `${target}/${added?.id ?? ""}`);
  };
  return (
    <PlainButton height="target" onClick={() => void make()}>
      New sentence…
    </PlainButton>
  );
}
