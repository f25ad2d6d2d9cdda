import { chakra } from "@chakra-ui/react";

import { limitsOf } from "../../api/parameters";
import type { BandMotion, EqBand, Strip } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { WishField } from "../../app/WishField";
import { Choice } from "../../controls/Choice";
import { LetterToggle } from "../../controls/LetterToggle";
import { PlainButton } from "../../controls/PlainButton";
import { SignButton } from "../../controls/SignButton";
import { formatDb, formatNumber } from "../../lib/format";
import { motionOf } from "./motion";

type BandMotionRowProps = {
  strip: Strip;
  band: EqBand;
  address: string;
  onChange: (motion: BandMotion | null) => void;
};

/** What moves a band: from which level to which, where to, how fast, and what it hears. */
export function BandMotionRow({ strip, band, address, onChange }: BandMotionRowProps) {
  const { strips } = useOpen();
  const { motion } = band;
  if (!motion)
    return (
      <PlainButton height="target" onClick={() => onChange(motionOf(band))}>
        Let its level move it
      </PlainButton>
    );
  const set = (values: Partial<BandMotion>) => onChange({ ...motion, ...values });
  const field = (name: Numbers, label: string, unit: string, format = formatDb) => (
    <chakra.span whiteSpace="nowrap">
      <chakra.span color="quiet">{label} </chakra.span>
      <WishField
        label={`${label} of the moving band`}
        value={motion[name]}
        {...limitsOf("band_motion", name)}
        step={unit === "ms" ? 0.02 : 0.5}
        format={(value) => format(value)}
        wish={(value) => ({
          type: "set-parameters",
          values: [{ address: `${address}/${name}`, value }],
        })}
      />{" "}
      <chakra.span color="quiet">{unit}</chakra.span>
    </chakra.span>
  );
  const { key } = motion;
  const others = [...strips.values()].filter((other) => other.id !== strip.id && other.kind !== "mix");
  const plain = (value: number | null) => formatNumber(value ?? 0, 0);
  return (
    <chakra.div
      role="group"
      aria-label="What moves the band"
      display="flex"
      flexWrap="wrap"
      columnGap="8px"
      rowGap="2px"
      alignItems="center"
      fontSize="small"
      borderLeft="2px dotted"
      borderColor="follow"
      paddingLeft="6px"
    >
      {field("to_db", "goes to", "dB")}
      {field("from_level_db", "from", "dB")}
      {field("full_level_db", "all the way at", "dB")}
      {field("attack_ms", "attack", "ms", plain)}
      {field("release_ms", "release", "ms", plain)}
      <chakra.span display="flex" gap="4px" alignItems="center">
        <chakra.span color="quiet">hears</chakra.span>
        <Choice
          label="How much of it moves the band"
          value={motion.hears}
          options={[
            { value: "band", label: "its own range" },
            { value: "all", label: "all" },
          ]}
          onChange={(hears) => set({ hears: hears as BandMotion["hears"] })}
        />
        <chakra.span color="quiet">of</chakra.span>
        <Choice
          label="What moves the band"
          value={key.from ?? ""}
          color={key.from ? "key" : "ink"}
          width="96px"
          options={[
            { value: "", label: "itself" },
            ...others.map((other) => ({ value: other.id, label: other.name })),
          ]}
          onChange={(from) => set({ key: { ...key, from: from || null } })}
        />
      </chakra.span>
      <Choice
        label="Detector of the moving band"
        value={motion.detector}
        options={[
          { value: "peak", label: "peak" },
          { value: "rms", label: "RMS" },
        ]}
        onChange={(detector) => set({ detector: detector as BandMotion["detector"] })}
      />
      <LetterToggle
        letter={motion.on ? "on" : "off"}
        label="moving band"
        tone="focus"
        on={motion.on}
        address={`${address}/on`}
        onToggle={() => set({ on: !motion.on })}
      />
      <SignButton label="Let the band stand still" onClick={() => onChange(null)} />
    </chakra.div>
  );
}

type Numbers = "to_db" | "from_level_db" | "full_level_db" | "attack_ms" | "release_ms";
