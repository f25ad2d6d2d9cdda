import { fetchMovables } from "../api/queries";
import { parseNumber } from "../lib/format";
import { showValue } from "../lib/moves";
import type { useActing } from "./SessionContext";
import { askName, askWhich, notify, useView } from "./store";

type Acting = ReturnType<typeof useActing>;

/** Let the level of a strip move a parameter: which strip, and to what value. */
export async function followStrip({ edit, now }: Acting, address: string): Promise<void> {
  const { document, id, revision } = now();
  const movable = (await fetchMovables(id, revision)).find((item) => item.address === address);
  if (!movable || movable.parameter.kind !== "number") {
    notify("error", "No level can move this.", "Only numbers that may move over the song follow a strip.");
    return;
  }
  const source = await askWhich(
    `Which strip's level moves ${movable.name}?`,
    document.strips.map((strip) => ({ value: strip.id, label: strip.name })),
  );
  if (!source) return;
  const rest = typeof movable.value === "boolean" ? null : movable.value;
  const typed = await askName(
    `${movable.name} is ${showValue(movable.parameter, rest)}. Where does it go while that is loud?`,
    showValue(movable.parameter, rest),
  );
  if (typed === null) return;
  const number = parseNumber(typed);
  const to = number !== null && Number.isFinite(number) ? number : null;
  if (await edit({ type: "add-follower", source, target: address, to }))
    useView.setState({ station: "Duck" });
}
