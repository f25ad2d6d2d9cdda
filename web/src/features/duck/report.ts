import type { Wish } from "../../api/types";

/** What was heard of a relation, in bins of equal length. */
export type DuckReport = {
  relation: string;
  target: string;
  start_s: number;
  end_s: number;
  trigger: number[];
  before: number[];
  after: number[];
  gain_db: number[];
  /** Of the gain, or of what a follower moves. */
  unit: string;
  hits_s: number[];
  threshold_db: number | null;
  figures: {
    hits: number;
    deepest_db: number;
    typical_db: number;
    down_ms: number | null;
    rise_ms: number | null;
    back_ms: number | null;
    shortest_gap_ms: number | null;
    margin_ms: number | null;
    never_back: number;
    ducked_share: number;
    fitting_release_ms: number | null;
    trigger_peak_dbfs: number | null;
  };
  verdict: string;
  cure: Wish | null;
  cure_text: string;
  /** Shapes a curve that hits start as what hits. */
  like_trigger: Wish | null;
  /** The other targets of the same curve, and its length. */
  others: { strip: string; gain_db: number[] }[];
  length_s: number | null;
};

/** A relation at a glance. */
export type Glance = { relation: string; deepest_db: number; gain_db: number[] };

export const STRETCHES = ["2 bars", "live", "loop", "song"] as const;
export type StretchName = (typeof STRETCHES)[number];
