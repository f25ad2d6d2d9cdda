import { useCallback } from "react";

import type { FilterBand, KeyedProcessor, Strip, Wish } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";
import { BandEditor } from "./BandEditor";
import { paintEq } from "./drawEq";
import { useCurve } from "./useCurve";

const FRESH: FilterBand = {
  id: "",
  shape: "bell",
  frequency_hz: 2500,
  gain_db: 12,
  q: 1,
  slope_db_per_octave: 12,
  on: true,
};

type KeyCurveProps = {
  strip: Strip;
  processor: KeyedProcessor;
  /** The edit that puts other bands in front of the detector. */
  wish: (bands: FilterBand[]) => Wish;
};

/** The curve that weighs what a detector hears: only what is loud where it is high triggers. */
export function KeyCurve({ strip, processor, wish }: KeyCurveProps) {
  const { live, edit } = useActing();
  const curve = useCurve(processor.id);
  const bands = processor.key.filter.bands;
  const paint = useCallback<Parameters<typeof BandEditor>[0]["paint"]>(
    (context, widthPx, heightPx, colors) =>
      paintEq(
        context,
        widthPx,
        heightPx,
        colors,
        curve?.heard && { id: curve.id, axis: curve.heard_axis ?? [], curve: curve.heard },
        null,
      ),
    [curve],
  );
  if (!bands.length)
    return (
      <PlainButton height="target" onClick={() => void edit(wish([FRESH]))}>
        Weigh what it hears
      </PlainButton>
    );
  return (
    <BandEditor
      label="Detector band"
      bands={bands}
      fresh={FRESH}
      address={`strips/${strip.id}/chain/${processor.id}/key/filter/bands`}
      paint={paint}
      onPreview={(next) => live.preview(wish(next))}
      onCommit={(next) => edit(wish(next))}
      onCancel={() => live.revert()}
    />
  );
}
