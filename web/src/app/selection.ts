import type { SessionState } from "../api/types";
import { focusStrip, useView } from "./store";
import { visibleRows } from "./tree";

type Keys = { ctrlKey: boolean; metaKey: boolean; shiftKey: boolean };

/** Strips in the order of the rows that are shown; a ghost has none in the Level station. */
export function shownStrips(state: SessionState): string[] {
  const { station, foldedFolders } = useView.getState();
  const ghosts = state.document.strips.filter((strip) => strip.kind === "ghost").map((strip) => strip.id);
  return visibleRows(state.tree, foldedFolders)
    .flatMap((row) => row.strip ?? [])
    .filter((id) => station !== "Level" || !ghosts.includes(id));
}

/** A strip is pressed: alone, with Ctrl joining or leaving the selection, with Shift up to it from where that began. */
export function pickStrip(state: SessionState, id: string, keys: Keys): void {
  const { selected, anchor } = useView.getState();
  const joins = keys.ctrlKey || keys.metaKey;
  if (keys.shiftKey) {
    const range = rangeOf(shownStrips(state), anchor || id, id);
    useView.setState({ focused: id, selected: new Set(joins ? [...selected, ...range] : range) });
  } else if (joins) {
    const next = new Set(selected);
    const leaves = next.has(id) && next.size > 1;
    if (leaves) next.delete(id);
    else next.add(id);
    // What has left the selection is no longer what is worked on.
    const focused = leaves ? ([...next].at(-1) ?? id) : id;
    useView.setState({ focused, selected: next, anchor: id });
  } else {
    focusStrip(id);
  }
}

/** The next strip in the order of the rows; the selection reaches up to it or is it alone. */
export function moveFocus(state: SessionState, by: number, extend: boolean): void {
  const shown = shownStrips(state);
  const at = shown.indexOf(useView.getState().focused);
  const next = shown[Math.min(shown.length - 1, Math.max(0, at + by))];
  if (next) pickStrip(state, next, { ctrlKey: false, metaKey: false, shiftKey: extend });
}

export function selectAll(state: SessionState): void {
  useView.setState({ selected: new Set(shownStrips(state)) });
}

/** From one to the other, both included, whichever comes first. */
function rangeOf(order: string[], from: string, to: string): string[] {
  const ends = [order.indexOf(from), order.indexOf(to)].sort((a, b) => a - b);
  const [first = -1, last = -1] = ends;
  return first < 0 ? [to] : order.slice(first, last + 1);
}
