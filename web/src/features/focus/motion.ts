import { limitsOf } from "../../api/parameters";
import type { BandMotion, EqBand } from "../../api/types";

const FALLBACKS = ["to_db", "from_level_db", "full_level_db", "attack_ms", "release_ms"] as const;
const STEP_DB = 6;

/** What moves a band at first: by its own level, further the way it stands, or down. */
export function motionOf(band: EqBand): BandMotion {
  const numbers = Object.fromEntries(
    FALLBACKS.map((name) => [name, limitsOf("band_motion", name).fallback ?? 0]),
  ) as Pick<BandMotion, (typeof FALLBACKS)[number]>;
  const { minimum, maximum } = limitsOf("band_motion", "to_db");
  const further = band.gain_db > 0 ? band.gain_db + STEP_DB : band.gain_db - STEP_DB;
  return {
    ...numbers,
    to_db: Math.min(maximum, Math.max(minimum, further)),
    on: true,
    detector: "rms",
    hears: "band",
    key: {
      from: null,
      tap: "pre-fader",
      gain_db: 0,
      filter: { low_cut_hz: null, high_cut_hz: null, bands: [] },
    },
  };
}
