import type { Strip } from "../api/types";
import { useTheme } from "../theme/useTheme";
import { openSession } from "./location";
import type { useOpen } from "./SessionContext";
import { askName, focusStrip, selectStrips, show, STAGES, STATIONS, useView } from "./store";

export type Command = { name: string; keys?: string; run: () => void };

type Open = ReturnType<typeof useOpen>;

/** The selected strips, in the document's order. */
export function selectedStrips(open: Open): Strip[] {
  const { selected } = useView.getState();
  return open.state.document.strips.filter((strip) => selected.has(strip.id));
}

/** Switch a setting of all selected strips together: on unless all have it. */
export function toggleOnSelected(open: Open, field: "mute" | "solo" | "polarity_inverted"): void {
  const strips = selectedStrips(open);
  const value = !strips.every((strip) => strip[field]);
  if (strips.length) {
    void open.edit({
      type: "set-strips",
      changes: strips.map((strip) => ({ strip: strip.id, [field]: value })),
    });
  }
}

export function moveFocus(open: Open, by: number, extend: boolean): void {
  const strips = open.state.document.strips;
  const { focused, selected } = useView.getState();
  const at = strips.findIndex((strip) => strip.id === focused);
  const next = strips[Math.min(strips.length - 1, Math.max(0, at + by))];
  if (!next) return;
  if (extend) selectStrips([...selected, next.id], next.id);
  else focusStrip(next.id);
}

export async function makeBus(open: Open): Promise<void> {
  const strips = selectedStrips(open).filter((strip) => strip.kind !== "mix");
  const name = await askName(strips.length > 1 ? `New bus of ${strips.length} strips` : "New bus", "Bus");
  if (!name) return;
  void open.edit(
    strips.length > 1
      ? { type: "bus-from-strips", strips: strips.map((strip) => strip.id), name }
      : { type: "add-strip", kind: "bus", name },
  );
}

export function removeSelected(open: Open): void {
  const strips = selectedStrips(open).filter((strip) => strip.kind !== "mix");
  if (strips.length) void open.edit({ type: "remove-strips", strips: strips.map((strip) => strip.id) });
}

export function addProcessor(open: Open, processor: "eq" | "compressor"): void {
  const { focused } = useView.getState();
  const params =
    processor === "eq"
      ? {
          bands: [
            { shape: "low-cut", frequency_hz: 30 },
            { shape: "bell", frequency_hz: 400, q: 1 },
            { shape: "bell", frequency_hz: 2500, q: 1 },
            { shape: "high-shelf", frequency_hz: 9000 },
          ],
        }
      : {};
  void open.edit({ type: "add-processor", strip: focused, processor, params });
}

/** Everything that can be done by name or key. */
export function commandsOf(open: Open): Command[] {
  const { live } = open;
  return [
    { name: "Play or stop", keys: "Space", run: () => live.toggle() },
    { name: "Back to the beginning", keys: "Home", run: () => live.seek(0) },
    { name: "Undo", keys: "Ctrl+Z", run: () => open.step("undo") },
    { name: "Redo", keys: "Ctrl+Shift+Z", run: () => open.step("redo") },
    { name: "Mute selected strips", keys: "M", run: () => toggleOnSelected(open, "mute") },
    { name: "Solo selected strips", keys: "S", run: () => toggleOnSelected(open, "solo") },
    { name: "Invert polarity of selected strips", run: () => toggleOnSelected(open, "polarity_inverted") },
    { name: "New bus of selected strips", keys: "B", run: () => void makeBus(open) },
    { name: "Delete selected strips", keys: "Delete", run: () => removeSelected(open) },
    { name: "Add EQ to the focused strip", keys: "E", run: () => addProcessor(open, "eq") },
    { name: "Add compressor to the focused strip", keys: "C", run: () => addProcessor(open, "compressor") },
    { name: "Focus the strip above", keys: "↑", run: () => moveFocus(open, -1, false) },
    { name: "Focus the strip below", keys: "↓", run: () => moveFocus(open, 1, false) },
    {
      name: "Play on without a loop",
      keys: "L",
      run: () => live.loop(null),
    },
    ...STATIONS.map((station, index) => ({
      name: `Station ${station}`,
      keys: String(index + 1),
      run: () => show(station),
    })),
    ...STAGES.map((stage) => ({ name: `Meters read ${stage}`, run: () => useView.setState({ stage }) })),
    {
      name: "Fold or unfold the focus sheet",
      keys: "F",
      run: () => useView.setState((view) => ({ sheetFolded: !view.sheetFolded })),
    },
    { name: "Change between paper and night", keys: "N", run: () => useTheme.getState().toggle() },
    { name: "Find an action or strip", keys: "Ctrl+K", run: () => useView.setState({ dialog: "finder" }) },
    { name: "List of keys", keys: "?", run: () => useView.setState({ dialog: "keys" }) },
    { name: "All sessions", run: () => openSession("") },
    { name: "Rename this session", run: () => void renameSession(open) },
  ];
}

export async function renameSession(open: Open): Promise<void> {
  const name = await askName("Name of the session", open.state.document.name);
  if (name) void open.edit({ type: "set-song", name });
}

/** The name of a key press as the list of keys writes it. */
export function keyName(event: KeyboardEvent): string {
  const named: Record<string, string> = { " ": "Space", ArrowUp: "↑", ArrowDown: "↓", Backspace: "Delete" };
  const key = named[event.key] ?? (event.key.length === 1 ? event.key.toUpperCase() : event.key);
  const control = event.ctrlKey || event.metaKey ? "Ctrl+" : "";
  const shift = event.shiftKey && key !== "?" ? "Shift+" : "";
  return control + shift + key;
}
