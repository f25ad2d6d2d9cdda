import type { LanePlace, ProcessorKind, SessionState, Strip, Wish } from "../api/types";
import { STAGES } from "../live/frames";
import { useTheme } from "../theme/useTheme";
import { useClipboard } from "./clipboard";
import { compareChain, switchSide, useComparison } from "./comparison";
import { openSession } from "./location";
import { drawOverTime } from "./moves";
import { nameLoop } from "./sections";
import { strikeByKey } from "./controller";
import { useRecording } from "./recording";
import { moveFocus, selectAll } from "./selection";
import type { useOpen } from "./SessionContext";
import {
  askName,
  askWhich,
  foldSheet,
  LEVEL_FACES,
  notify,
  show,
  showLevelFace,
  STATIONS,
  useView,
} from "./store";

export type Command = { name: string; keys?: string; run: () => void };

type Open = ReturnType<typeof useOpen>;

/** The selected strips, in the document's order. */
export function selectedStrips(state: SessionState): Strip[] {
  const { selected } = useView.getState();
  return state.document.strips.filter((strip) => selected.has(strip.id));
}

/** Switch a setting of all selected strips together: on unless all have it. */
export function toggleOnSelected(open: Open, field: "mute" | "solo" | "polarity_inverted"): void {
  const strips = selectedStrips(open.state);
  const value = !strips.every((strip) => strip[field]);
  if (strips.length) {
    void open.edit({
      type: "set-strips",
      changes: strips.map((strip) => ({ strip: strip.id, [field]: value })),
    });
  }
}

/** The selected strips without the mix, as most edits want them. */
function chosen(open: Open): Strip[] {
  return selectedStrips(open.state).filter((strip) => strip.kind !== "mix");
}

/** Where strips that are to be summed play; asks if there are several places. Undefined if the user gave up. */
async function outputFor(open: Open, strips: Strip[]): Promise<string | null | undefined> {
  const places = [...new Set(strips.flatMap((strip) => strip.output ?? []))];
  if (places.length < 2) return null;
  const answer = await askWhich(
    "These strips play to different places. Where is the bus to play?",
    places.map((place) => ({ value: place, label: open.strips.get(place)?.name ?? place })),
  );
  return answer ?? undefined;
}

export async function makeBus(open: Open): Promise<void> {
  const strips = chosen(open);
  if (strips.length < 2) {
    const name = await askName("New bus", "Bus");
    if (name) void open.edit({ type: "add-strip", kind: "bus", name });
    return;
  }
  const output = await outputFor(open, strips);
  if (output === undefined) return;
  const name = await askName(`New bus of ${strips.length} strips`, "Bus");
  if (name)
    void open.edit({ type: "bus-from-strips", strips: strips.map((strip) => strip.id), name, output });
}

export async function makeReturn(open: Open, effect: "reverb" | "delay"): Promise<void> {
  const name = await askName(`New return with a ${effect}`, effect === "reverb" ? "Hall" : "Echo");
  if (name) void open.edit({ type: "add-strip", kind: "return", name, effect });
}

/** A strip that is never heard, for keys, hits and followers to hear; null if the user gave up. */
export async function makeGhost(open: Open): Promise<void> {
  const name = await askName("New ghost: it clicks on a pattern, and is never heard", "Tick");
  if (name) void open.edit({ type: "add-ghost", name } as Wish);
}

export async function makeFolder(open: Open, summed = false): Promise<void> {
  const strips = chosen(open);
  if (!strips.length) return;
  const name = await askName(
    `New folder of ${strips.length} strip${strips.length === 1 ? "" : "s"}`,
    "Folder",
  );
  const ids = strips.map((strip) => strip.id);
  if (name) void open.edit({ type: "folder-from-strips", strips: ids, name, bus: summed });
}

/** Give a folder a bus, asking where it is to play if its members differ. */
export async function sumFolder(open: Open, folder: string): Promise<void> {
  const members = open.state.document.strips.filter((strip) => strip.folder === folder);
  const output = await outputFor(open, members);
  if (output !== undefined) void open.edit({ type: "sum-folder", folder, output });
}

export async function makeGroup(open: Open): Promise<void> {
  const strips = chosen(open);
  if (!strips.length) return;
  const name = await askName(`New control group over ${strips.length} strips`, "Group");
  if (name) void open.edit({ type: "add-group", name, members: strips.map((strip) => strip.id) });
}

export function removeSelected(open: Open): void {
  if (chosen(open).length) useView.setState({ dialog: "delete" });
}

const FIRST_BANDS = [
  { shape: "low-cut", frequency_hz: 30 },
  { shape: "bell", frequency_hz: 400, q: 1 },
  { shape: "bell", frequency_hz: 2500, q: 1 },
  { shape: "high-shelf", frequency_hz: 9000 },
];
const INSERT_WET = 0.25;
const FIRST_EARLY = 0.5;

/** A processor as it begins: an equaliser with four bands, effects fully wet on returns and mostly dry elsewhere. */
export function newProcessor(strip: Strip, processor: ProcessorKind, into: LanePlace | null = null): Wish {
  const wet = strip.kind === "return" || into ? 1 : INSERT_WET;
  const params =
    processor === "eq"
      ? { bands: FIRST_BANDS, near_nyquist: "analogue" }
      : processor === "reverb"
        ? { wet, early: FIRST_EARLY }
        : processor === "delay"
          ? { wet }
          : {};
  return { type: "add-processor", strip: strip.id, processor, into, params };
}

/** The control that has the keyboard is drawn over the song; without one the drawer opens or closes. */
function drawOrShow(open: Open): void {
  const address = (document.activeElement as HTMLElement | null)?.dataset.address;
  if (address) void drawOverTime(open, address);
  else useView.setState(({ movesOpen }) => ({ movesOpen: !movesOpen }));
}

function addToFocused(open: Open, processor: ProcessorKind): void {
  const strip = open.strips.get(useView.getState().focused);
  if (strip) void open.edit(newProcessor(strip, processor));
}

function copyChain(open: Open): void {
  const strip = open.strips.get(useView.getState().focused);
  if (!strip?.chain.length) return;
  useClipboard.setState({ processors: strip.chain });
  notify("done", `${strip.name}: ${strip.chain.length} processors copied.`);
}

function pasteChain(open: Open): void {
  const { processors } = useClipboard.getState();
  const strips = selectedStrips(open.state).map((strip) => strip.id);
  if (processors.length && strips.length) void open.edit({ type: "paste-processors", strips, processors });
}

/** The other side of what is being compared, or the focused strip's chain as something to compare. */
function hearOtherSide(open: Open): void {
  const strip = open.strips.get(useView.getState().focused);
  if (useComparison.getState().comparison) switchSide(open.live);
  else if (strip?.chain.length) compareChain(strip);
  else notify("done", `${strip?.name ?? "Nothing"} has no chain to compare with.`);
}

/** A dialog about the selected strips, if there are any. */
function ask(open: Open, dialog: "rename" | "color"): void {
  if (selectedStrips(open.state).length) useView.setState({ dialog });
}

/** Everything that can be done by name or key. */
export function commandsOf(open: Open): Command[] {
  const { live } = open;
  return [
    { name: "Play or stop", keys: "Space", run: () => live.toggle() },
    { name: "Back to the beginning", keys: "Home", run: () => live.seek(0) },
    { name: "Undo", keys: "Ctrl+Z", run: () => open.step("undo") },
    { name: "Redo", keys: "Ctrl+Shift+Z", run: () => open.step("redo") },
    { name: "Draw over the song, or show what moves", keys: "V", run: () => drawOrShow(open) },
    {
      name: "Record what is moved while the song plays",
      keys: "A",
      run: () => {
        useView.setState({ movesOpen: true });
        useRecording.setState(({ armed }) => ({ armed: !armed }));
      },
    },
    { name: "Strike a pad: a note while recording", keys: ".", run: () => strikeByKey() },
    { name: "Beat and sections", keys: "T", run: () => useView.setState({ dialog: "tempo" }) },
    { name: "Name the loop as a section", run: () => void nameLoop(open) },
    { name: "Mute selected strips", keys: "M", run: () => toggleOnSelected(open, "mute") },
    { name: "Solo selected strips", keys: "S", run: () => toggleOnSelected(open, "solo") },
    { name: "Invert polarity of selected strips", run: () => toggleOnSelected(open, "polarity_inverted") },
    { name: "New bus of selected strips", keys: "B", run: () => void makeBus(open) },
    { name: "Delete selected strips", keys: "Delete", run: () => removeSelected(open) },
    { name: "New folder of selected strips", keys: "G", run: () => void makeFolder(open) },
    {
      name: "New folder of selected strips, summed into a bus",
      keys: "Shift+G",
      run: () => void makeFolder(open, true),
    },
    { name: "New control group over selected strips", run: () => void makeGroup(open) },
    { name: "New return with a reverb", keys: "R", run: () => void makeReturn(open, "reverb") },
    { name: "New ghost", run: () => void makeGhost(open) },
    { name: "New return with a delay", run: () => void makeReturn(open, "delay") },
    { name: "Rename selected strips", keys: "F2", run: () => ask(open, "rename") },
    { name: "Colour of selected strips", run: () => ask(open, "color") },
    { name: "Add EQ to the focused strip", keys: "E", run: () => addToFocused(open, "eq") },
    { name: "Add compressor to the focused strip", keys: "C", run: () => addToFocused(open, "compressor") },
    { name: "Copy the focused strip's chain", keys: "Ctrl+C", run: () => copyChain(open) },
    { name: "Paste processors on selected strips", keys: "Ctrl+V", run: () => pasteChain(open) },
    { name: "Presets and their files", run: () => useView.setState({ dialog: "presets" }) },
    { name: "Focus the strip above", keys: "↑", run: () => moveFocus(open.state, -1, false) },
    { name: "Focus the strip below", keys: "↓", run: () => moveFocus(open.state, 1, false) },
    {
      name: "Extend the selection to the strip above",
      keys: "Shift+↑",
      run: () => moveFocus(open.state, -1, true),
    },
    {
      name: "Extend the selection to the strip below",
      keys: "Shift+↓",
      run: () => moveFocus(open.state, 1, true),
    },
    { name: "Select all strips", keys: "Ctrl+A", run: () => selectAll(open.state) },
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
    { name: "Findings", keys: "P", run: () => useView.setState({ dialog: "findings" }) },
    { name: "Bring strips to reference", run: () => useView.setState({ dialog: "reference" }) },
    {
      name: "Hear the focused strip without its chain, then switch sides",
      keys: "X",
      run: () => hearOtherSide(open),
    },
    { name: "Compare with a snapshot", run: () => useView.setState({ dialog: "snapshots" }) },
    ...LEVEL_FACES.map((face) => ({
      name: `Level shows ${face}`,
      run: () => {
        show("Level");
        showLevelFace(face);
      },
    })),
    ...STAGES.map((stage) => ({ name: `Meters read ${stage}`, run: () => useView.setState({ stage }) })),
    {
      name: "Fold or unfold the focus sheet",
      keys: "F",
      run: foldSheet,
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
