export type Tempo = { bpm: number; beat: string; metre: string };

const NOTE_SIGNS: Record<string, string> = { "1/1": "𝅝", "1/2": "𝅗𝅥", "1/4": "♩", "1/8": "♪", "1/16": "♬" };

function quarters(note: string): number {
  const [numerator, denominator] = note.replace(".", "").split("/").map(Number);
  const plain = (4 * (numerator ?? 1)) / (denominator ?? 4);
  return note.endsWith(".") ? plain * 1.5 : plain;
}

/** Seconds of one bar. */
export function barS(tempo: Tempo): number {
  return ((60 / tempo.bpm) * quarters(tempo.metre)) / quarters(tempo.beat);
}

/** The note the tempo counts, as a sign. */
export function noteSign(beat: string): string {
  return (NOTE_SIGNS[beat.replace(".", "")] ?? beat) + (beat.endsWith(".") ? "." : "");
}

/** How long the song line is: to the end of what plays, or of the last section. */
export function songLengthS(playsS: number, sections: { end_s: number }[]): number {
  return Math.max(playsS, ...sections.map((section) => section.end_s), 1e-3);
}
