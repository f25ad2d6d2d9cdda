import { choicesOf } from "../../api/parameters";

/** How one parameter is shown. */
export type Shown =
  | {
      kind: "number";
      name: string;
      label: string;
      decimals: number;
      none?: string;
      noneAt?: "top" | "bottom";
    }
  | { kind: "switch"; name: string; label: string }
  | { kind: "choice"; name: string; label: string; options: { value: string; label: string }[] };

const number = (
  name: string,
  label: string,
  decimals: number,
  none?: string,
  noneAt: "top" | "bottom" = "top",
): Shown => ({ kind: "number", name, label, decimals, none, noneAt });

const NOTES = choicesOf("delay", "note").map((note) => ({
  value: note,
  label: note.replace(".", " dotted").replace("T", " triplet"),
}));

/** What the plain cards show, in order. */
export const SHOWN: Record<string, Shown[]> = {
  compressor: [
    number("threshold_db", "threshold", 1),
    number("ratio", "ratio", 1, "∞"),
    number("knee_db", "knee", 1),
    number("range_db", "at most", 1, "any"),
    number("attack_ms", "attack", 1),
    number("hold_ms", "hold", 0),
    number("release_ms", "release", 0),
    {
      kind: "choice",
      name: "release",
      label: "which is",
      options: [
        { value: "fixed", label: "fixed" },
        { value: "follows", label: "by crest" },
      ],
    },
    number("lookahead_ms", "lookahead", 1),
    number("makeup_db", "make-up", 1),
    number("mix", "mix", 2),
    number("stereo_link", "link", 2),
    number("rms_ms", "RMS time", 0),
    {
      kind: "choice",
      name: "detector",
      label: "detector",
      options: [
        { value: "peak", label: "peak" },
        { value: "rms", label: "RMS" },
      ],
    },
  ],
  gate: [
    number("threshold_db", "threshold", 1),
    number("ratio", "ratio", 1, "∞"),
    number("range_db", "at most", 1, "any"),
    number("hysteresis_db", "hysteresis", 1),
    number("attack_ms", "attack", 1),
    number("hold_ms", "hold", 0),
    number("release_ms", "release", 0),
    number("lookahead_ms", "lookahead", 1),
    number("stereo_link", "link", 2),
    number("rms_ms", "RMS time", 0),
    {
      kind: "choice",
      name: "detector",
      label: "detector",
      options: [
        { value: "peak", label: "peak" },
        { value: "rms", label: "RMS" },
      ],
    },
  ],
  saturator: [
    number("drive_db", "drive", 1),
    number("lean", "lean", 2),
    number("tone_hz", "tone", 0, "open"),
    { kind: "switch", name: "match_loudness", label: "match loudness" },
    number("output_db", "output", 1),
    number("mix", "mix", 2),
  ],
  limiter: [
    number("input_db", "input", 1),
    number("ceiling_dbtp", "ceiling", 1),
    number("lookahead_ms", "lookahead", 1),
    number("release_ms", "release", 0),
  ],
  gain: [
    number("level_db", "level", 1, "−∞", "bottom"),
    {
      kind: "choice",
      name: "channels",
      label: "sides",
      options: [
        { value: "as-is", label: "as they are" },
        { value: "swap", label: "swapped" },
        { value: "mono", label: "summed to mono" },
        { value: "left", label: "left on both" },
        { value: "right", label: "right on both" },
      ],
    },
    { kind: "switch", name: "left_inverted", label: "left inverted" },
    { kind: "switch", name: "right_inverted", label: "right inverted" },
  ],
  widener: [
    {
      kind: "choice",
      name: "mode",
      label: "by",
      options: [
        { value: "decorrelate", label: "decorrelating" },
        { value: "offset", label: "an offset" },
      ],
    },
    number("amount", "amount", 2),
    number("offset_ms", "offset", 1),
  ],
  matrix: [
    number("left_to_left", "L to L", 2),
    number("right_to_left", "R to L", 2),
    number("left_to_right", "L to R", 2),
    number("right_to_right", "R to R", 2),
  ],
  delay: [
    {
      kind: "choice",
      name: "note",
      label: "note",
      options: [{ value: "", label: "free" }, ...NOTES],
    },
    number("time_ms", "time", 0),
    number("feedback", "feedback", 2),
    { kind: "switch", name: "ping_pong", label: "side to side" },
    number("low_cut_hz", "low cut", 0, "open", "bottom"),
    number("high_cut_hz", "high cut", 0, "open"),
    number("width", "width", 2),
    number("wet", "wet", 2),
  ],
  reverb: [
    number("pre_delay_ms", "pre-delay", 0),
    number("decay_s", "decay", 2),
    number("size", "size", 2),
    number("damping", "damping", 2),
    number("diffusion", "diffusion", 2),
    number("early", "early", 2),
    number("modulation", "modulation", 2),
    {
      kind: "choice",
      name: "layers",
      label: "layers of a bed",
      options: [
        { value: "one", label: "share a room" },
        { value: "each", label: "have rooms of their own" },
      ],
    },
    number("exchange", "that exchange", 2),
    number("width", "width", 2),
    number("low_cut_hz", "low cut", 0, "open", "bottom"),
    number("high_cut_hz", "high cut", 0, "open"),
    number("wet", "wet", 2),
  ],
};
