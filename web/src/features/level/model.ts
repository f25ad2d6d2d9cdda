import type { Strip } from "../../api/types";

export type TreeItem = { strip: Strip; depth: number; nMembers: number; cuts: number };

const MOST_CUTS = 4;

/** Strips in the order of rows: each bus over what plays into it, the returns and the mix at the end. */
export function treeOf(strips: Strip[]): TreeItem[] {
  const members = new Map<string, Strip[]>();
  const mix = strips.find((strip) => strip.kind === "mix");
  const buses = new Set(strips.filter((strip) => strip.kind === "bus").map((strip) => strip.id));
  strips.forEach((strip) => {
    const parent = strip.output && buses.has(strip.output) ? strip.output : "";
    members.set(parent, [...(members.get(parent) ?? []), strip]);
  });
  const items: TreeItem[] = [];
  const walk = (parent: string, depth: number) => {
    for (const strip of members.get(parent) ?? []) {
      if (strip.kind === "mix" || (strip.kind === "return" && depth === 0)) continue;
      items.push({ strip, depth, nMembers: members.get(strip.id)?.length ?? 0, cuts: 0 });
      if (strip.kind === "bus") walk(strip.id, depth + 1);
    }
  };
  walk("", 0);
  (members.get("") ?? [])
    .filter((strip) => strip.kind === "return")
    .forEach((strip) => items.push({ strip, depth: 0, nMembers: 0, cuts: 0 }));
  if (mix) items.push({ strip: mix, depth: 0, nMembers: 0, cuts: 0 });
  const seen = new Map<string, number>();
  return items.map((item) => {
    if (item.strip.kind !== "track") return item;
    const before = seen.get(item.strip.color) ?? 0;
    seen.set(item.strip.color, before + 1);
    return { ...item, cuts: before % MOST_CUTS };
  });
}

/** How many strips each strip is a key for. */
export function keyCounts(strips: Strip[]): Map<string, number> {
  const counts = new Map<string, number>();
  strips.forEach((strip) =>
    strip.chain.forEach((processor) => {
      const source = processor.type === "compressor" ? processor.key?.from : null;
      if (source) counts.set(source, (counts.get(source) ?? 0) + 1);
    }),
  );
  return counts;
}
