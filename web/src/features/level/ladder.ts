import type { Lane, Processor, Strip } from "../../api/types";
import type { Measured, StageFigures, StripFigures } from "../../app/measurement";
import { REFERENCE_DB } from "../../canvas/scale";
import { formatDb, formatNumber, formatTime } from "../../lib/format";

export const FIGURES = ["peak", "true peak", "RMS", "VU", "loudness"] as const;
export type Figure = (typeof FIGURES)[number];

export const UNITS: Record<Figure, string> = {
  peak: "dBFS",
  "true peak": "dBTP",
  RMS: "dBFS",
  VU: "VU",
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
  /** Above full scale. */
  over: boolean;
  /** Where clipping begins. */
  clips: boolean;
  atS: number | null;
  processor: string | null;
  /** All figures in words. */
  words: string;
};

export type Cells = Map<string, LadderCell>;

/** A lane of a strip: its processors from the block's place on, then what it adds after its level. */
export type LaneRow = { key: string; name: string; depth: number; cells: Cells };

const ORDINALS = ["1st in chain", "2nd", "3rd"];

function valueOf(stage: StageFigures, figure: Figure, vuReferenceDbfs: number): number | null {
  switch (figure) {
    case "peak":
      return stage.sample_peak_dbfs;
    case "true peak":
      return stage.true_peak_dbtp;
    case "RMS":
      return stage.rms_dbfs;
    case "VU":
      return stage.vu_dbfs === null ? null : stage.vu_dbfs - vuReferenceDbfs;
    case "loudness":
      return stage.integrated_lufs;
  }
}

/** Everything measured at a stage, a line for each sort. */
function wordsOf(stage: StageFigures, vuReferenceDbfs: number): string {
  if (stage.sample_peak_dbfs === null) return "silent";
  const range =
    stage.loudness_range_lu === null ? "" : `, range ${formatNumber(stage.loudness_range_lu, 1)} LU`;
  const over = stage.overs
    ? `${stage.overs} sample${stage.overs === 1 ? "" : "s"} over, from ${formatTime(stage.first_over_s ?? 0)}`
    : "nothing over";
  return [
    `peak ${formatDb(stage.sample_peak_dbfs)} dBFS at ${formatTime(stage.sample_peak_at_s)}, ` +
      `true peak ${formatDb(stage.true_peak_dbtp)} dBTP at ${formatTime(stage.true_peak_at_s)}`,
    `RMS ${formatDb(stage.rms_dbfs)} dBFS, crest ${formatNumber(stage.crest_db, 1)} dB, ` +
      `VU ${formatDb(stage.vu_dbfs === null ? null : stage.vu_dbfs - vuReferenceDbfs)}`,
    `loudness ${formatDb(stage.integrated_lufs)} LUFS, at most ${formatDb(stage.max_short_term_lufs)} in 3 s, ` +
      `${formatDb(stage.max_momentary_lufs)} in 0.4 s${range}`,
    `${over}, constant offset ${stage.dc.toFixed(5)}`,
  ].join("\n");
}

/** How many places a chain takes up, the longest of its lanes included. */
function placesOf(chain: Processor[]): number {
  const lengths = chain.map((processor, place) =>
    processor.type === "parallel"
      ? place + Math.max(1, ...processor.lanes.map((lane) => placesOf(lane.chain) + 1))
      : place + 1,
  );
  return Math.max(0, ...lengths);
}

/** Columns of the ladder: its fixed stages, and as many places in the chain as are used. */
export function columnsOf(strips: Strip[]): { key: string; name: string }[] {
  const places = Math.max(0, ...strips.map((strip) => placesOf(strip.chain)));
  return [
    { key: "source", name: "source" },
    { key: "trim", name: "trim" },
    ...Array.from({ length: places }, (_, place) => ({
      key: `chain ${place}`,
      name: ORDINALS[place] ?? `${place + 1}th`,
    })),
    { key: "pre-fader", name: "pre-fader" },
    { key: "post-fader", name: "post-fader" },
    { key: "bus", name: "at its bus" },
    { key: "mix", name: "at the mix" },
  ];
}

/** What a ladder is read by. */
export type Reading = {
  figure: Figure;
  vuReferenceDbfs: number;
  labelOf: (processor: Processor) => string;
};

/** A strip's cells by column, and its lanes. */
export function rungsOf(
  strip: Strip,
  measured: Measured,
  reading: Reading,
): { cells: Cells; lanes: LaneRow[] } {
  const figures = measured.strips[strip.id];
  const cells: Cells = new Map();
  if (!figures) return { cells, lanes: [] };
  const track = strip.kind === "track";
  const cellOf = (key: string, label: string, stage: StageFigures, judged: boolean): LadderCell => {
    const value = valueOf(stage, reading.figure, reading.vuReferenceDbfs);
    return {
      key,
      label,
      value,
      away: value === null ? null : value - REFERENCES[reading.figure],
      judged,
      over: (stage.sample_peak_dbfs ?? -1) > 0,
      clips: figures.clips_at !== null && figures.stages[figures.clips_at] === stage,
      atS: stage.sample_peak_dbfs === null ? null : (stage.first_over_s ?? stage.sample_peak_at_s),
      processor: stage.processor,
      words: wordsOf(stage, reading.vuReferenceDbfs),
    };
  };
  const stageOf = (processor: string, lane: string | null) =>
    figures.stages.find((stage) => stage.processor === processor && stage.lane === lane);

  const lanes: LaneRow[] = [];
  const addChain = (into: Cells, chain: Processor[], from: number, depth: number) =>
    chain.forEach((processor, index) => {
      const key = `chain ${from + index}`;
      const stage = stageOf(processor.id, null);
      if (stage) into.set(key, cellOf(key, reading.labelOf(processor), stage, track));
      if (processor.type === "parallel")
        processor.lanes.forEach((lane) => addLane(processor.id, lane, from + index, depth + 1));
    });
  const addLane = (block: string, lane: Lane, from: number, depth: number) => {
    const end = stageOf(block, lane.id);
    if (!end) return;
    const row: LaneRow = { key: `${block}/${lane.id}`, name: lane.name, depth, cells: new Map() };
    lanes.push(row);
    addChain(row.cells, lane.chain, from, depth);
    const key = `chain ${from + lane.chain.length}`;
    row.cells.set(key, cellOf(key, lane.mute ? "muted" : "level", end, track));
  };

  figures.stages.forEach((stage) => {
    if (stage.processor !== null) return;
    const judged = track && stage.name !== "source" && stage.name !== "post-fader";
    cells.set(stage.name, cellOf(stage.name, "", stage, judged));
  });
  addChain(cells, strip.chain, 0, 0);
  addEnds(cells, figures, reading);
  return { cells, lanes };
}

function addEnds(cells: Cells, figures: StripFigures, reading: Reading): void {
  const post = figures.stages.find((stage) => stage.name === "post-fader");
  if (!post) return;
  for (const [key, gain] of [
    ["bus", figures.to_bus_db],
    ["mix", figures.to_mix_db],
  ] as const) {
    const value = valueOf(post, reading.figure, reading.vuReferenceDbfs);
    if (gain === null || value === null) continue;
    cells.set(key, {
      key,
      label: "",
      value: value + gain,
      away: value + gain - REFERENCES[reading.figure],
      judged: false,
      over: (post.sample_peak_dbfs ?? -1) + gain > 0,
      clips: false,
      atS: post.sample_peak_at_s,
      processor: null,
      words: "what its ways make of it, on the whole",
    });
  }
}
