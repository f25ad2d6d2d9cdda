import type { Strip, Wish } from "../../api/types";
import type { useOpen } from "../../app/SessionContext";
import { askWhich } from "../../app/store";
import { walkChain } from "../../lib/chains";

type Open = ReturnType<typeof useOpen>;

const takesSignals = (strip: Strip) => strip.kind !== "track" && strip.kind !== "ghost";

/** Every connection that could be made from one strip to another, with its words and its edit. */
function connections(source: Strip, goal: Strip): { value: string; label: string; edit: () => Wish[] }[] {
  const found: { value: string; label: string; edit: () => Wish[] }[] = [];
  if (takesSignals(goal) && source.kind !== "mix") {
    const output = (late: boolean): Wish => ({
      type: "set-output",
      strips: [source.id],
      output: goal.id,
      late,
    });
    const send = (level_db: number): Wish => ({
      type: "add-send",
      strips: [source.id],
      to: goal.id,
      level_db,
    });
    found.push({
      value: "output",
      label: `${source.name} plays to ${goal.name}`,
      edit: () => [output(false)],
    });
    found.push({
      value: "late",
      label: `${source.name} plays to ${goal.name}, after its chain`,
      edit: () => [output(true)],
    });
    found.push({
      value: "send",
      label: `Send to ${goal.name} at −12 dB, after the fader`,
      edit: () => [send(-12)],
    });
    found.push({ value: "send-0", label: `Send to ${goal.name} at 0 dB`, edit: () => [send(0)] });
  }
  for (const processor of walkChain(goal.chain)) {
    if ("key" in processor) {
      found.push({
        value: `key ${processor.id}`,
        label: `${goal.name}'s compressor hears ${source.name}`,
        edit: () => [
          {
            type: "set-processor",
            strip: goal.id,
            processor: processor.id,
            key: { ...processor.key, from: source.id },
          },
        ],
      });
    }
  }
  found.push({
    value: "new key",
    label: `New compressor on ${goal.name} that hears ${source.name}`,
    edit: () => [keyedCompressor(goal, source)],
  });
  return found;
}

function keyedCompressor(goal: Strip, source: Strip): Wish {
  return {
    type: "paste-processors",
    strips: [goal.id],
    processors: [{ id: "compressor", type: "compressor", key: { from: source.id } }],
  };
}

/** Ask what a strip dropped on another is to do, and do it. */
export async function connect(open: Open, sourceId: string, goalId: string): Promise<void> {
  const source = open.strips.get(sourceId);
  const goal = open.strips.get(goalId);
  if (!source || !goal || source === goal) return;
  const possible = connections(source, goal);
  const chosen = await askWhich(`${source.name} to ${goal.name}`, possible);
  for (const wish of possible.find((item) => item.value === chosen)?.edit() ?? []) await open.edit(wish);
}
