import type { MovePoint } from "../../api/types";

export type Sample = Pick<MovePoint, "at_s" | "value">;

/** A freehand stroke with one more sample: going back draws over what was drawn. */
export function withSample(samples: Sample[], next: Sample): Sample[] {
  const last = samples.at(-1);
  if (!last) return [next];
  if (next.at_s > last.at_s) return [...samples, next];
  // Backwards: what lies from here to the last sample is drawn anew, from here.
  const first = samples[0];
  if (first && next.at_s <= first.at_s)
    return [next, ...samples.filter((sample) => sample.at_s > first.at_s)];
  const kept = samples.filter((sample) => sample.at_s < next.at_s);
  return [...kept, next];
}
