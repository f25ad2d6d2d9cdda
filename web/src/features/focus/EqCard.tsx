import { chakra } from "@chakra-ui/react";
import { useCallback } from "react";

import { choicesOf } from "../../api/parameters";
import type { Eq, EqBand, Strip } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import { Choice } from "../../controls/Choice";
import { BandEditor, hasGain } from "./BandEditor";
import { BandMotionRow } from "./BandMotionRow";
import { paintEq } from "./drawEq";
import { useCurve } from "./useCurve";

const FRESH: EqBand = {
  id: "",
  shape: "bell",
  frequency_hz: 1000,
  gain_db: 0,
  q: 1,
  slope_db_per_octave: 12,
  on: true,
  motion: null,
};

type EqCardProps = {
  strip: Strip;
  processor: Eq;
  /** The band whose figures are shown at first. */
  firstChosen?: string;
};

/** The equaliser: its curve over what sounds, its bands, and what moves them. */
export function EqCard({ strip, processor, firstChosen }: EqCardProps) {
  const { live, edit } = useActing();
  const curve = useCurve(processor.id);
  const wish = (params: Record<string, unknown>) => ({
    type: "set-processor" as const,
    strip: strip.id,
    processor: processor.id,
    params,
  });
  const paint = useCallback<Parameters<typeof BandEditor>[0]["paint"]>(
    (context, widthPx, heightPx, colors) =>
      paintEq(context, widthPx, heightPx, colors, curve, live.spectrum, live.ledCurve(processor.id)),
    [curve, live, processor.id],
  );
  return (
    <>
      <BandEditor
        label="Band"
        bands={processor.params.bands}
        fresh={FRESH}
        firstChosen={firstChosen}
        address={`strips/${strip.id}/chain/${processor.id}/bands`}
        paint={paint}
        onPreview={(bands) => live.preview(wish({ bands }))}
        onCommit={(bands) => edit(wish({ bands }))}
        onCancel={() => live.revert()}
      >
        {(band, set) =>
          hasGain(band) && (
            <BandMotionRow
              strip={strip}
              band={band}
              address={`strips/${strip.id}/chain/${processor.id}/bands/${band.id}/motion`}
              onChange={(motion) => set({ motion })}
            />
          )
        }
      </BandEditor>
      {processor.params.bands.length > 0 && (
        <chakra.div fontSize="small" color="quiet">
          near the top like its{" "}
          <Choice
            label="Curves near the top"
            value={processor.params.near_nyquist}
            options={choicesOf("eq", "near_nyquist").map((value) => ({
              value,
              label: value === "analogue" ? "analogue model" : "cookbook, squeezed",
            }))}
            onChange={(near_nyquist) => void edit(wish({ near_nyquist }))}
          />
        </chakra.div>
      )}
    </>
  );
}
