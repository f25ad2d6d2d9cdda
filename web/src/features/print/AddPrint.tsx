import type { Print, Strip } from "../../api/types";
import { notify, useView } from "../../app/store";
import { report, useOpen, useTransport } from "../../app/SessionContext";
import { ActionMenu } from "../../controls/ActionMenu";
import { newPrint } from "./prints";

type Adding = "mix" | "stems" | "tracks" | "returns" | "focused" | "around" | "picked" | "summed" | "swell";

/** What is usually printed, to be added to the list. */
export function AddPrint({ onPrint }: { onPrint: (prints: string[]) => void }) {
  const { state, strips, live, edit } = useOpen();
  const { loopS } = useTransport();
  const focused = strips.get(useView((view) => view.focused));
  const selected = useView((view) => view.selected);
  const picked = [...strips.values()].filter((strip) => selected.has(strip.id));
  const mix = [...strips.values()].find((strip) => strip.kind === "mix");
  const room = focused && roomOf(focused, strips);
  const items: { value: Adding; label: string }[] = [
    { value: "mix", label: "The mix" },
    { value: "stems", label: "Every stem: what plays into the mix, one by one" },
    { value: "tracks", label: "Every track, before its chain" },
    { value: "returns", label: "Every return alone" },
  ];
  if (picked.length > 1) {
    items.push({ value: "picked", label: `The ${picked.length} picked, each to a file` });
    items.push({ value: "summed", label: `The ${picked.length} picked, to one file` });
  } else if (focused && focused.kind !== "mix") {
    items.push({ value: "focused", label: focused.name });
    items.push({ value: "around", label: `${focused.name}, before its chain and after it` });
  }
  if (focused && room) items.push({ value: "swell", label: `Reverse the ${room.name} of ${focused.name}` });

  const add = async (fields: Partial<Print>): Promise<string | null> => {
    const print = newPrint(state.document.prints, fields);
    return (await edit({ type: "set-print", print })) ? print.id : null;
  };
  const choose = (what: Adding) => {
    const one = focused ? [focused.id] : [];
    const several = picked.map((strip) => strip.id);
    const fields: Record<Exclude<Adding, "swell">, Partial<Print>> = {
      mix: { strips: mix ? [mix.id] : [] },
      stems: { every: "stem", format: "wav-32f" },
      tracks: { every: "track", taps: ["pre-chain"] },
      returns: { every: "return" },
      focused: { strips: one },
      around: { strips: one, taps: ["pre-chain", "pre-fader"] },
      picked: { strips: several },
      summed: { strips: several, summed: true },
    };
    if (what !== "swell") void add(fields[what]).catch(report);
    else if (focused && room) void swell(focused, room);
  };
  const swell = async (strip: Strip, room: Strip) => {
    const at = live.positionS();
    const section = state.document.sections.find((item) => item.start_s <= at && at < item.end_s);
    const stretch = loopS ?? (section ? ([section.start_s, section.end_s] as const) : null);
    if (!stretch) {
      notify("error", "It is not said which stretch", "Drag over the song line, or go into a section.");
      return;
    }
    const id = await add({
      strips: [room.id],
      of: strip.id === room.id ? [] : [strip.id],
      stretch: { kind: "from-to", from_s: stretch[0], to_s: stretch[1] },
      reversed: true,
      back: "track",
    });
    if (id) onPrint([id]);
  };
  return <ActionMenu label="Add to the list" text="Add to the list" items={items} onSelect={choose} />;
}

/** The return whose sound a strip makes: itself, or the one it sends to most. */
function roomOf(strip: Strip, strips: Map<string, Strip>): Strip | undefined {
  if (strip.kind === "return") return strip;
  const rooms = strip.sends
    .filter((send) => send.on && strips.get(send.to)?.kind === "return")
    .sort((one, other) => (other.level_db ?? -200) - (one.level_db ?? -200));
  return strips.get(rooms[0]?.to ?? "");
}
