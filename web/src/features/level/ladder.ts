import type { Processor, Strip } from "../../api/types";
import type { Measured, StageFigures, StripFigures } from "../../app/measurement";
import { REFERENCE_DB } from "../../canvas/scale";

export const FIGURES = ["peak", "true peak", "RMS", "VU", "loudness"] as const;
export type Figure = (typeof FIGURES)[number];

export const UNITS: Record<Figure, string> = {
  peak: "dBFS",
  "true peak": "dBTP",
  RMS: "dBFS",
  VU: "VU, 0 at −18 dBFS",
  loudness: "LUFS",
};

/** What each figure's reference reads: a tone at −18 dBFS. Loudness has none of its own. */
const REFERENCES: Record<Figure, number> = {
  peak: REFERENCE_DB,
  "true peak": REFERENCE_DB,
  RMS: -21,
  VU: 0,
  loudness: REFERENCE_DB,
};

export type LadderCell = {
  key: string;
  label: string;
  value: number | null;
  /** How far from the reference. */
  away: number | null;
  /** Judged against the reference: tracks, from trim to pre-fader. */
  judged: boolean;
  /** Where clipping begins. */
  clips: boolean;
  atS: number | null;
  processor: string | null;
};

export const MOST_CHAIN = 4;

function valueOf(stage: StageFigures, figure: Figure): number | null {
  switch (figure) {
    case "peak":
      return stage.sample_peak_dbfs;
    case "true peak":
      return stage.true_peak_dbtp;
    case "RMS":
      return stage.rms_dbfs;
    case "VU":
      return stage.vu_dbfs === null ? null : stage.vu_dbfs - REFERENCE_DB;
    case "loudness":
      return stage.integrated_lufs;
  }
}

/** Columns of the ladder: its fixed stages, and as many places in the chain as are used. */
export function columnsOf(strips: Strip[]): { key: string; name: string }[] {
  const places = Math.min(MOST_CHAIN, Math.max(0, ...strips.map((strip) => strip.chain.length)));
  const ordinals = ["1st in chain", "2nd", "3rd", "4th"];
  return [
    { key: "source", name: "source" },
    { key: "trim", name: "trim" },
    ...Array.from({ length: places }, (_, index) => ({
      key: `chain ${index}`,
      name: ordinals[index] ?? "",
    })),
    { key: "pre-fader", name: "pre-fader" },
    { key: "post-fader", name: "post-fader" },
    { key: "bus", name: "at its bus" },
    { key: "mix", name: "at the mix" },
  ];
}

/** A strip's cells by column. */
export function cellsOf(
  strip: Strip,
  measured: Measured,
  figure: Figure,
  labelOf: (processor: Processor) => string,
): Map<string, LadderCell> {
  const figures = measured.strips[strip.id];
  const cells = new Map<string, LadderCell>();
  if (!figures) return cells;
  let clipped = false;
  const add = (key: string, label: string, stage: StageFigures, judged: boolean) => {
    const value = valueOf(stage, figure);
    const clips = !clipped && key !== "source" && (stage.sample_peak_dbfs ?? -1) > 0;
    clipped = clipped || clips;
    cells.set(key, {
      key,
      label,
      value,
      away: value === null ? null : value - REFERENCES[figure],
      judged,
      clips,
      atS: stage.sample_peak_dbfs === null ? null : (stage.first_over_s ?? stage.sample_peak_at_s),
      processor: stage.processor,
    });
  };
  const track = strip.kind === "track";
  figures.stages.forEach((stage) => {
    if (stage.name !== "processor") {
      add(stage.name, "", stage, track && stage.name !== "source" && stage.name !== "post-fader");
      return;
    }
    const place = strip.chain.findIndex((processor) => processor.id === stage.processor);
    const processor = strip.chain[place];
    if (processor) add(`chain ${place}`, labelOf(processor), stage, track);
  });
  addEnds(cells, figures, figure);
  return cells;
}

function addEnds(cells: Map<string, LadderCell>, figures: StripFigures, figure: Figure): void {
  const post = figures.stages.find((stage) => stage.name === "post-fader");
  if (!post) return;
  for (const [key, gain] of [
    ["bus", figures.to_bus_db],
    ["mix", figures.to_mix_db],
  ] as const) {
    const value = valueOf(post, figure);
    if (gain === null || value === null) continue;
    cells.set(key, {
      key,
      label: "",
      value: value + gain,
      away: value + gain - REFERENCES[figure],
      judged: false,
      clips: false,
      atS: post.sample_peak_at_s,
      processor: null,
    });
  }
}
