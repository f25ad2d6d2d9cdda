/** The binary message of the live connection; its layout is described with the server's frames. */
export type Frame = {
  epoch: number;
  serial: number;
  revision: number;
  firstSample: number;
  positionSamples: number;
  nSamples: number;
  mix: Float32Array;
  meters: Float32Array;
  reductions: Float32Array;
  probe: Float32Array;
  spectrum: Float32Array;
  /** What followers lead, in the order in which the server has told it. */
  led: Float32Array;
  /** Gain of the watched strip's equalisers whose bands move, dB, one after the other. */
  curves: Float32Array;
  /** Correlation of the watched strip, then left and as many right of a few of its samples; empty where none is. */
  scope: Float32Array;
  sound: Float32Array | null;
  /** The session this one is compared with; null while none is. */
  other: Float32Array | null;
};

/** Where each strip is metered. */
export const STAGES = ["source", "pre-fader", "post-fader"] as const;
export type Stage = (typeof STAGES)[number];
/** What counts as silence where a number is needed. */
export const SILENT_DB = -150;

export type Meter = { peakDb: number; holdDb: number; rmsDb: number };

const HEADER_BYTES = 60;
const VALUES_PER_METER = 3;

/** What a strip's meter reads at a stage; the strip is given by its place in the transport's list. */
export function readMeter(frame: Frame | null, strip: number, stage: Stage): Meter {
  const at = (strip * STAGES.length + STAGES.indexOf(stage)) * VALUES_PER_METER;
  const meters = strip >= 0 ? frame?.meters : undefined;
  return {
    peakDb: meters?.[at] ?? SILENT_DB,
    holdDb: meters?.[at + 1] ?? SILENT_DB,
    rmsDb: meters?.[at + 2] ?? SILENT_DB,
  };
}

export function parseFrame(buffer: ArrayBuffer): Frame {
  const view = new DataView(buffer);
  const nStrips = view.getUint32(32, true);
  const nProbe = view.getUint32(36, true);
  const nSpectrum = view.getUint32(40, true);
  const nLed = view.getUint32(44, true);
  const nCurves = view.getUint32(48, true);
  const nScope = view.getUint32(52, true);
  const nSounds = view.getUint32(56, true);
  const nSamples = view.getUint32(28, true);
  let at = HEADER_BYTES;
  const take = (count: number) => {
    const values = new Float32Array(buffer, at, count);
    at += 4 * count;
    return values;
  };
  return {
    epoch: view.getUint32(4, true),
    serial: view.getUint32(8, true),
    revision: view.getUint32(12, true),
    firstSample: view.getUint32(16, true),
    positionSamples: view.getFloat64(20, true),
    nSamples,
    mix: take(4),
    meters: take(nStrips * STAGES.length * VALUES_PER_METER),
    reductions: take(nStrips),
    probe: take(nProbe),
    spectrum: take(nSpectrum),
    led: take(nLed),
    curves: take(nCurves),
    scope: take(nScope),
    sound: nSounds ? take(2 * nSamples) : null,
    other: nSounds > 1 ? take(2 * nSamples) : null,
  };
}
