/** Where a strip is heard, as the server measured it. */
export type StagePlace = {
  strip: string;
  position: number;
  reach: number;
  correlation: number | null;
  /** Of each band of the report; null where hardly anything sounds. */
  band_correlations: (number | null)[];
  mono_loss_db: number;
  outside: [number, number, number];
  rms_dbfs: number | null;
  balance_db: number;
  centre_hz: number;
  wet_db: number | null;
  /** What left and right get of each channel by width and pan. */
  gains: number[][];
  /** How much louder width makes it, before its level is made up for. */
  width_lu: number | null;
  /** What mono would take of it behind a widener as it comes, and by an offset. */
  decorrelated_loss_db: number | null;
  offset_loss_db: number | null;
  /** Position over the song, of what moves. */
  travel: number[];
  bed: BedPlace | null;
};

/** Where it is heard around the listener. */
export type BedPlace = {
  layout: string;
  azimuth_deg: number;
  elevation_deg: number;
  spread_deg: number | null;
  rms_dbfs: number | null;
  channels_dbfs: (number | null)[];
  /** Azimuth and elevation over the song, of what moves. */
  travel: [number, number][];
};

export type BedLoudspeaker = {
  label: string;
  azimuth_deg: number;
  elevation_deg: number;
  is_lfe: boolean;
};

export type StageReport = {
  places: StagePlace[];
  bands_hz: number[];
  /** The bed that a strip of one or two channels plays into, by strip. */
  beds: Record<string, string>;
  /** Loudspeakers by layout. */
  layouts: Record<string, BedLoudspeaker[]>;
};

/** Unrelated sides lose 3.01 dB in mono; what loses more works against itself. */
export const LOSS_DB = 3.25;

/** How many channels a strip places: 0 until it has been measured. */
export function channelsOf(place: StagePlace | undefined): number {
  return place?.gains[0]?.length ?? 0;
}

/** "L 35", "C", "R 70". */
export function sideOf(position: number): string {
  const share = Math.round(100 * Math.abs(position));
  return share === 0 ? "C" : `${position < 0 ? "L" : "R"} ${share}`;
}
