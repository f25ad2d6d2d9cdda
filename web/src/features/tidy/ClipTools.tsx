import { chakra } from "@chakra-ui/react";

import type { ClipSettings } from "../../api/types";
import { limitsOf } from "../../api/parameters";
import { useOpen } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";
import { LevelField } from "../../controls/LevelField";
import { ValueField } from "../../controls/ValueField";
import { formatNumber } from "../../lib/format";
import type { ClipPlace } from "./ClipBox";

/** What can be done with the chosen clip. */
export function ClipTools({ place }: { place: ClipPlace | null }) {
  const { strips, live, edit } = useOpen();
  const strip = place ? strips.get(place.strip) : undefined;
  const clip = place && strip?.clips[place.clip];
  if (!place || !strip || !clip) {
    return (
      <chakra.span color="quiet" fontSize="small">
        Drag a clip to move it, its ends to trim, its corners to fade; Alt leaves the beat grid.
      </chakra.span>
    );
  }
  const set = (values: Omit<ClipSettings, "strip" | "clip">) => ({
    type: "set-clips" as const,
    changes: [{ strip: place.strip, clip: place.clip, ...values }],
  });
  const at = { strip: place.strip, clip: place.clip };
  const seconds = (field: "fade_in_s" | "fade_out_s", label: string) => (
    <ValueField
      label={`Clip ${label}`}
      value={clip[field] ?? null}
      {...limitsOf("clip", field)}
      step={0.05}
      format={(value) => (value === null ? "auto" : `${formatNumber(value, 2)} s`)}
      onPreview={(value) => live.preview(set({ [field]: value }))}
      onCommit={(value) => void edit(set({ [field]: value }))}
      onCancel={() => live.revert()}
    />
  );
  return (
    <chakra.div display="flex" alignItems="center" gap="8px" fontSize="small" whiteSpace="nowrap">
      <chakra.strong>
        {strip.name}, clip {place.clip + 1}
      </chakra.strong>
      <PlainButton onClick={() => void edit({ type: "split-clip", ...at, at_s: live.positionS() })}>
        Split at playhead
      </PlainButton>
      <PlainButton onClick={() => void edit({ type: "duplicate-clip", ...at })}>Duplicate</PlainButton>
      <PlainButton onClick={() => void edit(set({ reversed: !clip.reversed }))}>
        {clip.reversed ? "Forwards" : "Reverse"}
      </PlainButton>
      <span>fade in {seconds("fade_in_s", "fade in")}</span>
      <span>out {seconds("fade_out_s", "fade out")}</span>
      <PlainButton
        title="How fades that are set go: straight, or of equal power"
        onClick={() =>
          void edit(set({ fade_shape: clip.fade_shape === "linear" ? "equal-power" : "linear" }))
        }
      >
        {clip.fade_shape === "linear" ? "Fade by power" : "Fade straight"}
      </PlainButton>
      <span>
        gain{" "}
        <LevelField
          label="Clip gain"
          value={clip.gain_db}
          {...limitsOf("clip", "gain_db")}
          onPreview={(value) => live.preview(set({ gain_db: value }))}
          onCommit={(value) => void edit(set({ gain_db: value }))}
          onCancel={() => live.revert()}
        />{" "}
        dB
      </span>
      <PlainButton onClick={() => void edit({ type: "remove-clip", ...at })}>Remove</PlainButton>
    </chakra.div>
  );
}
