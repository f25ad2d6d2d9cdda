import type { SessionListing } from "../../api/types";

const KINDS = [
  ["track", "track", "tracks"],
  ["bus", "bus", "buses"],
  ["return", "return", "returns"],
] as const;

/** "18 tracks, 4 buses, 2 returns, 7.1.4" */
export function countWords(song: Pick<SessionListing, "strips" | "layout">): string {
  const counted = KINDS.map(([kind, one, many]) => {
    const count = song.strips.filter((strip) => strip.kind === kind).length;
    return count ? `${count} ${count === 1 ? one : many}` : "";
  });
  const layout = song.layout === "stereo" ? "" : song.layout;
  return [...counted, layout].filter(Boolean).join(", ") || "empty";
}

/** "today, 14:22", "yesterday", a weekday of the last days, a date. */
export function whenWords(changedAt: string, now: Date): string {
  const at = new Date(changedAt);
  const midnight = new Date(now.getFullYear(), now.getMonth(), now.getDate()).getTime();
  const daysAgo = Math.ceil((midnight - at.getTime()) / 86_400_000);
  if (daysAgo <= 0) {
    const [hours, minutes] = [at.getHours(), at.getMinutes()].map((part) => String(part).padStart(2, "0"));
    return `today, ${hours}:${minutes}`;
  }
  if (daysAgo === 1) return "yesterday";
  if (daysAgo < 7) return at.toLocaleDateString("en", { weekday: "long" });
  const thisYear = at.getFullYear() === now.getFullYear();
  return at.toLocaleDateString("en-GB", {
    day: "numeric",
    month: "long",
    ...(thisYear ? {} : { year: "numeric" }),
  });
}

/** Whether a song, or one of its strips, is called so. */
export function isFound(song: Pick<SessionListing, "name" | "strips">, wanted: string): boolean {
  const words = wanted.trim().toLowerCase().split(/\s+/);
  const text = [song.name, ...song.strips.map(({ name }) => name)].join("\n").toLowerCase();
  return words.every((word) => text.includes(word));
}

export function gigabytes(bytes: number): string {
  return bytes < 1e9 ? `${Math.round(bytes / 1e6)} MB` : `${(bytes / 1e9).toFixed(bytes < 1e10 ? 1 : 0)} GB`;
}
