import catalogue from "./catalogue.gen.json";

type Entry = {
  default: number | string | boolean | null;
  minimum: number | null;
  maximum: number | null;
  none: string | null;
  scale: string;
  unit: string;
  choices: (string | number)[];
};

/** The parts of a session that have parameters, processors by their type. */
export type Part = keyof typeof catalogue.parameters;
export type Limits = {
  minimum: number;
  maximum: number;
  fallback: number | null;
  unit: string;
  logarithmic: boolean;
};

const TABLES: Record<Part, Record<string, Entry | undefined>> = catalogue.parameters;

/** Note values to choose from, notes that a tempo may count, and metres. */
export const { notes: NOTES, beats: BEATS, metres: METRES } = catalogue;

/** Gains between two sides to start from, by their names. */
export const MATRICES: Record<string, Record<string, number>> = catalogue.matrices;

/** The usual note values, and one that is none of them. */
export function notesWith(value: string): { value: string; label: string }[] {
  return NOTES.some((note) => note.value === value) ? NOTES : [...NOTES, { value, label: value }];
}

function entryOf(part: Part, name: string): Entry {
  const entry = TABLES[part][name];
  if (!entry) throw new Error(`${part} has no parameter ${name}`);
  return entry;
}

export function isPart(kind: string): kind is Part {
  return kind in catalogue.parameters;
}

/** Range, default, unit and scale of a numeric parameter, as the server has them. */
export function limitsOf(part: Part, name: string): Limits {
  const entry = entryOf(part, name);
  return {
    minimum: entry.minimum ?? 0,
    maximum: entry.maximum ?? 1,
    fallback: typeof entry.default === "number" ? entry.default : null,
    unit: entry.unit,
    logarithmic: entry.scale === "logarithmic",
  };
}

/** What null reads as; null if the parameter takes none. */
export function noneOf(part: Part, name: string): string | null {
  return entryOf(part, name).none;
}

export function choicesOf(part: Part, name: string): string[] {
  return entryOf(part, name).choices.map(String);
}

/** A value held inside a parameter's range, to a tenth. */
export function withinLimits(part: Part, name: string, value: number): number {
  const { minimum, maximum } = limitsOf(part, name);
  return Math.round(10 * Math.min(maximum, Math.max(minimum, value))) / 10;
}
