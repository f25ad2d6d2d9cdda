import type { Limiting, Print, PrintedFile, Session, Strip, Target, Verdict } from "../../api/types";
import { formatNumber } from "../../lib/format";

/** What the limiters of a printed strip did for it. */
export function limitingWords({ deepest_db, typical_db, share }: Limiting): string {
  if (!share) return "Its limiter takes nothing.";
  const often = share < 0.01 ? "less than 1" : formatNumber(100 * share, 0);
  return `Its limiter takes ${formatNumber(deepest_db, 1)} dB at most, ${formatNumber(typical_db, 1)} dB typically, in ${often} % of the time.`;
}

/** The files that a print made last, of the newest run that holds any. */
export function latestOf(files: PrintedFile[], print: string): PrintedFile[] {
  const run = files.find((file) => file.print === print)?.run;
  return files.filter((file) => file.run === run && file.print === print);
}

export type Option = { value: string; label: string };
const EVERY: Option[] = [
  { value: "every stem", label: "Every stem" },
  { value: "every track", label: "Every track" },
  { value: "every bus", label: "Every bus" },
  { value: "every return", label: "Every return alone" },
];

/** What a print may be of: the mix, all of a sort, each strip, and what it is of now. */
export function whatOptions(print: Print, strips: Strip[]): { value: string; options: Option[] } {
  const value = print.every ? `every ${print.every}` : print.strips.join(" ");
  const each = [...strips]
    .sort((one, other) => Number(other.kind === "mix") - Number(one.kind === "mix"))
    .map((strip) => ({
      value: strip.id,
      label: strip.kind === "mix" ? `The ${strip.name.toLowerCase()}` : strip.name,
    }));
  const options = [...each.slice(0, 1), ...EVERY, ...each.slice(1)];
  if (!options.some((option) => option.value === value)) {
    const names = print.strips.map((id) => strips.find((strip) => strip.id === id)?.name ?? id);
    options.push({ value, label: names.join(print.summed ? " + " : ", ") });
  }
  return { value, options };
}

/** What changes of a print that is of something else: a place in a chain goes with its strip. */
export function ofWhat(value: string): Partial<Print> {
  if (value.startsWith("every "))
    return { strips: [], every: value.slice(6) as Print["every"], after: null, summed: false };
  return { strips: value.split(" "), every: null, after: null, through_mix: false };
}

const TAPS: Option[] = [
  { value: "pre-chain", label: "before its chain" },
  { value: "pre-fader", label: "after its chain" },
  { value: "post-fader", label: "after its fader" },
  { value: "pre-chain pre-fader", label: "before its chain and after it" },
];

/** Where it is read: taps, and behind each processor and lane of the one strip. */
export function whereOptions(
  print: Print,
  strip: Strip | undefined,
  labelOf: (processor: Strip["chain"][number]) => string,
): { value: string; options: Option[] } {
  if (print.every === "stem") {
    const options = [
      { value: "plain", label: "before the mix’s chain" },
      { value: "through", label: "through the mix, by difference" },
    ];
    return { value: print.through_mix ? "through" : "plain", options };
  }
  const places: Option[] = [];
  const walk = (chain: Strip["chain"], within: string) => {
    for (const processor of chain) {
      places.push({ value: `after ${processor.id}`, label: `after ${within}${labelOf(processor)}` });
      if (processor.type === "parallel" && processor.on)
        for (const lane of processor.lanes) {
          places.push({ value: `after ${lane.id}`, label: `lane ${lane.name}` });
          walk(lane.chain, `${lane.name}: `);
        }
    }
  };
  if (strip) walk(strip.chain, "");
  const value = print.after ? `after ${print.after}` : print.taps.join(" ");
  const options = [...TAPS, ...places];
  if (!options.some((option) => option.value === value)) options.push({ value, label: value });
  return { value, options };
}

export function fromWhere(value: string): Partial<Print> {
  if (value === "plain" || value === "through") return { through_mix: value === "through" };
  if (value.startsWith("after ")) return { after: value.slice(6) };
  return { after: null, taps: value.split(" ") as Print["taps"] };
}

/** Which stretch: all, a section, the loop as it is now, or what it is now. */
export function stretchOptions(
  print: Print,
  document: Session,
  loopS: [number, number] | null,
  show: (stretchS: [number, number]) => string,
): { value: string; options: Option[] } {
  const { stretch } = print;
  const options: Option[] = [{ value: "whole", label: "whole song" }];
  for (const name of new Set(document.sections.map((section) => section.name)))
    options.push({ value: `section ${name}`, label: name });
  if (loopS) options.push({ value: "loop", label: `loop, ${show(loopS)}` });
  const value = stretch.kind === "section" ? `section ${stretch.name}` : stretch.kind;
  if (stretch.kind === "from-to") {
    const label = stretch.to_s == null ? "from there on" : show([stretch.from_s, stretch.to_s]);
    options.push({ value, label });
  } else if (!options.some((option) => option.value === value)) {
    options.push({ value, label: stretch.kind === "section" ? stretch.name : "whole song" });
  }
  return { value, options };
}

export function overStretch(value: string, loopS: [number, number] | null): Partial<Print> {
  if (value.startsWith("section ")) return { stretch: { kind: "section", name: value.slice(8) } };
  if (value === "loop" && loopS) return { stretch: { kind: "from-to", from_s: loopS[0], to_s: loopS[1] } };
  return value === "whole" ? { stretch: { kind: "whole" } } : {};
}

export const ENDS: Option[] = [
  { value: "silent", label: "until silent" },
  { value: "cut", label: "cut there" },
  { value: "sound", label: "first to last sound" },
];

export function endsOf(print: Print): string {
  return print.only_sound ? "sound" : print.ends;
}

export function endingSo(value: string): Partial<Print> {
  return { only_sound: value === "sound", ends: value === "cut" ? "cut" : "silent" };
}

export const CHANNELS: Option[] = [
  { value: "as-is", label: "all channels" },
  { value: "stereo", label: "folded to stereo" },
  { value: "mono", label: "folded to mono" },
  { value: "left", label: "left only" },
  { value: "right", label: "right only" },
  { value: "side", label: "the difference of both sides" },
  { value: "headphones", label: "for headphones" },
];

/** Where it comes back: not, as a track where it was or before a section, in place. */
export function backOptions(document: Session): Option[] {
  const names = [...new Set(document.sections.map((section) => section.name))];
  return [
    { value: "no", label: "to a file" },
    { value: "track", label: "back as a track" },
    ...names.map((name) => ({ value: `lands ${name}`, label: `back as a track before ${name}` })),
    { value: "in-place", label: "in place of its clips and chain" },
  ];
}

export function backOf(print: Print): string {
  return print.lands ? `lands ${print.lands}` : print.back;
}

export function goingBack(value: string): Partial<Print> {
  if (value.startsWith("lands ")) return { back: "track", lands: value.slice(6) };
  const back = value as Print["back"];
  return { back, lands: null, ...(back === "in-place" ? { taps: ["pre-fader"] as Print["taps"] } : {}) };
}

/** An id that is not taken: the prefix and a number. */
export function freeId(prefix: string, taken: { id: string }[]): string {
  let number = taken.length + 1;
  while (taken.some(({ id }) => id === `${prefix}${number}`)) number += 1;
  return `${prefix}${number}`;
}

/** A print as it begins. */
export function newPrint(known: { id: string }[], fields: Partial<Print>): Print {
  return {
    id: freeId("p", known),
    strips: [],
    every: null,
    taps: ["post-fader"],
    after: null,
    summed: false,
    through_mix: false,
    of: [],
    channels: "as-is",
    stretch: { kind: "whole" },
    ends: "silent",
    only_sound: false,
    reversed: false,
    moves: true,
    format: "wav-24",
    shaped: false,
    rate_hz: null,
    back: "no",
    lands: null,
    ...fields,
  };
}

/** A verdict in a few words: what is off, the loudness first. */
export function verdictWords(verdict: Verdict): string {
  if (verdict.checks.every((check) => check.holds)) return "fits";
  return verdict.checks
    .filter((check) => !check.holds)
    .map((check) => {
      const off = Math.abs(check.off_db ?? 0).toFixed(1);
      if (check.asked === "loudness") return `${off} LU ${(check.off_db ?? 0) < 0 ? "low" : "loud"}`;
      if (check.asked === "true peak") return `peaks ${off} dB over`;
      return `${check.asked} ${check.found}`;
    })
    .join(", ");
}

/** Targets of other songs that this one does not have under the same name. */
export function sharedTargets(own: Target[], shared: Target[]): Target[] {
  return shared.filter(({ name }) => !own.some((target) => target.name === name));
}
