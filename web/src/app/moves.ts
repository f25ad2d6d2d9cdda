import { fetchMovables } from "../api/queries";
import type { useOpen } from "./SessionContext";
import { notify, useView } from "./store";

type Open = Pick<ReturnType<typeof useOpen>, "edit" | "now">;

/** Show a parameter's lane; one that rests begins as a line at the value it has. */
export async function drawOverTime(open: Open, address: string): Promise<void> {
  useView.setState({ movesOpen: true });
  const { document, id, revision } = open.now();
  if (document.moves.some((move) => move.target === address)) return;
  const movable = (await fetchMovables(id, revision)).find((item) => item.address === address);
  if (!movable) {
    notify("error", "This cannot move over the song.", "What decides how late a strip is stays.");
    return;
  }
  const points = [{ at_s: 0, value: movable.value, bend: 0 }];
  await open.edit({ type: "set-moves", moves: [{ target: address, points }] });
}
