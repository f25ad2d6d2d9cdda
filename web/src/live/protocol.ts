import type { Frame } from "./frames";

/** Between the page and its connection worker. */
export type ToWorker =
  | { type: "open"; url: string }
  | { type: "speaker"; port: MessagePort }
  | { type: "send"; text: string; keep: boolean }
  | { type: "close" };

export type FromWorker =
  | { type: "connection"; up: boolean }
  | { type: "text"; text: string }
  | { type: "frame"; frame: Frame }
  | { type: "played"; epoch: number; samples: number };

/** JSON messages from the server. */
export type ServerMessage =
  | {
      type: "transport";
      playing: boolean;
      position_s: number;
      loop_s: [number, number] | null;
      epoch: number;
      sample_rate_hz: number;
      duration_s: number;
      strips: string[];
    }
  | { type: "curves"; strip: string | null; processors: ProcessorCurve[] }
  | { type: "led"; parameters: LedParameter[] }
  | { type: "document"; revision: number }
  | { type: "error"; what: string; where: string; remedy: string };

/** What there is to draw of a processor; the order of the list is that of the readings in a frame. */
export type ProcessorCurve = {
  id: string;
  axis: number[];
  curve: number[];
  time_ms?: number;
  /** Of an equaliser whose bands move: with all of them all the way. */
  moved?: number[];
  /** What a detector hears, dB over ``heard_axis``. */
  heard_axis?: number[];
  heard?: number[];
};

/** A parameter that followers lead, and between which values; the order of the list is that of a frame's values. */
export type LedParameter = { address: string; low: number | null; high: number | null };
