const UNHEARD_DB = -100;

/** A level with one decimal and a true minus; silence as a word-like sign. */
export function formatDb(levelDb: number | null, floorDb = -149): string {
  if (levelDb === null || levelDb <= floorDb) return "−∞";
  return formatNumber(levelDb, 1);
}

/** A measured level: what nobody can hear reads as silence, as in the server's reports. */
export function formatReading(levelDb: number | null): string {
  return formatDb(levelDb, UNHEARD_DB);
}

/** A number with a typographic minus. */
export function formatNumber(value: number, decimals: number): string {
  const text = Math.abs(value).toFixed(decimals);
  return value < 0 && Number(text) !== 0 ? `−${text}` : text;
}

/** Seconds as minutes and seconds: 1:04.2 */
export function formatTime(timeS: number, decimals = 1): string {
  const shownS = Number(timeS.toFixed(decimals));
  const minutes = Math.floor(shownS / 60);
  const seconds = (shownS - 60 * minutes).toFixed(decimals);
  return `${minutes}:${seconds.padStart(decimals ? 3 + decimals : 2, "0")}`;
}

/** A frequency as people write it: 320, 2.6k */
export function formatHz(frequencyHz: number): string {
  if (frequencyHz < 999.5) return String(Math.round(frequencyHz));
  return `${(frequencyHz / 1000).toFixed(frequencyHz < 9950 ? 1 : 0)}k`;
}

/** Reads a number as typed, with or without its unit, with either minus. */
export function parseNumber(text: string): number | null {
  const cleaned = text.trim().replace("−", "-").replace(",", ".");
  if (/^(-?∞|-inf|inf|silent|endless|off)/i.test(cleaned)) return -Infinity;
  const match = /^[-+]?\d*\.?\d+/.exec(cleaned);
  if (!match) return null;
  const value = Number(match[0]);
  return /^[-+]?\d*\.?\d+\s*k/i.test(cleaned) ? value * 1000 : value;
}
