import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import { choicesOf, limitsOf } from "../../api/parameters";
import type { Pan, Strip, StripSettings, Wish } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import { WishField } from "../../app/WishField";
import { Choice } from "../../controls/Choice";
import { PlainButton } from "../../controls/PlainButton";
import { formatHz, formatNumber } from "../../lib/format";
import { wideLayout } from "../../lib/layouts";
import { sideOf, type StagePlace } from "./report";

/** What places the focused strip: its hands, from where on its lows are mono, and mono at its chain's end. */
export function Settings({ strip, place }: { strip: Strip; place: StagePlace | null }) {
  const widthLu = place?.width_lu ?? null;
  const { edit } = useActing();
  const set = (values: Partial<StripSettings>): Wish =>
    ({ type: "set-strips", changes: [{ strip: strip.id, ...values }] }) as Wish;
  const pan = (name: "position" | "left" | "right", label: string) => (
    <span>
      <chakra.span color="quiet">{label} </chakra.span>
      <WishField
        label={`${strip.name}: ${label}`}
        address={`strips/${strip.id}/pan/${name}`}
        value={strip.pan[name]}
        {...limitsOf("pan", name)}
        step={0.02}
        format={(value) => sideOf(value ?? 0)}
        wish={(value) => set({ pan: { [name]: value ?? 0 } as Partial<Pan> as Pan })}
      />
    </span>
  );
  const around = (name: "azimuth_deg" | "elevation_deg" | "spread_deg", label: string) => (
    <span>
      <chakra.span color="quiet">{label} </chakra.span>
      <WishField
        label={`${strip.name}: ${label}`}
        address={`strips/${strip.id}/pan/${name}`}
        value={strip.pan[name]}
        {...limitsOf("pan", name)}
        step={1}
        format={(value) => `${Math.round(value ?? 0)}°`.replace("-", "−")}
        wish={(value) => set({ pan: { [name]: value ?? 0 } as Partial<Pan> as Pan })}
      />
    </span>
  );
  const last = strip.chain.at(-1);
  const isMonoAtEnd = last?.type === "gain" && last.on && last.params.channels === "mono";
  return (
    <chakra.div display="flex" flexWrap="wrap" columnGap="12px" rowGap="2px" alignItems="center">
      {strip.pan.mode === "around" ? (
        <>
          {around("azimuth_deg", "azimuth")}
          {around("elevation_deg", "elevation")}
          {around("spread_deg", "spread")}
        </>
      ) : strip.pan.mode === "two-handed" ? (
        <>
          {pan("left", "left hand")}
          {pan("right", "right hand")}
        </>
      ) : wideLayout(strip) ? null : (
        pan("position", "pan")
      )}
      {!wideLayout(strip) && (
        <span>
          <chakra.span color="quiet">mono below </chakra.span>
          <WishField
            label={`${strip.name}: mono below`}
            value={strip.mono_below_hz}
            {...limitsOf("strip", "mono_below_hz")}
            step={0.02}
            nullAt="bottom"
            format={(value) => (value === null ? "off" : `${formatHz(value)} Hz`)}
            wish={(value) => set({ mono_below_hz: value })}
          />
        </span>
      )}
      {!wideLayout(strip) && (
        <PlainButton
          height="target"
          aria-pressed={isMonoAtEnd}
          bg={isMonoAtEnd ? "wash" : "transparent"}
          onClick={() =>
            void edit(
              isMonoAtEnd && last
                ? { type: "remove-processor", strip: strip.id, processor: last.id }
                : { type: "add-processor", strip: strip.id, processor: "gain", params: { channels: "mono" } },
            )
          }
        >
          mono at its chain’s end
        </PlainButton>
      )}
      {strip.kind !== "mix" && <Distance strip={strip} />}
      {place &&
        place.decorrelated_loss_db !== null &&
        !strip.chain.some(({ type }) => type === "widener") && <Widen strip={strip} place={place} />}
      {widthLu !== null && (Math.abs(widthLu) > 0.05 || strip.width_level_db !== 0) && (
        <WidthLevel strip={strip} widthLu={widthLu} set={set} />
      )}
      {strip.mono_below_hz !== null && (
        <Choice
          label={`${strip.name}: slope of its mono lows`}
          value={String(strip.mono_below_slope_db_per_octave)}
          options={choicesOf("strip", "mono_below_slope_db_per_octave").map((slope) => ({
            value: slope,
            label: `${slope} dB/oct`,
          }))}
          onChange={(slope) =>
            void edit(
              set({
                mono_below_slope_db_per_octave: Number(
                  slope,
                ) as StripSettings["mono_below_slope_db_per_octave"],
              }),
            )
          }
        />
      )}
    </chakra.div>
  );
}

/** What width does to the level, and what makes up for it. */
function WidthLevel({
  strip,
  widthLu,
  set,
}: {
  strip: Strip;
  widthLu: number;
  set: (values: Partial<StripSettings>) => Wish;
}) {
  const { edit } = useActing();
  const wanted = Math.round(-10 * widthLu) / 10;
  return (
    <span>
      <chakra.span color="quiet">
        width makes it {formatNumber(widthLu, 1)} LU louder, made up for{" "}
      </chakra.span>
      <WishField
        label={`${strip.name}: width level`}
        address={`strips/${strip.id}/width_level_db`}
        value={strip.width_level_db}
        {...limitsOf("strip", "width_level_db")}
        step={0.1}
        format={(value) => `${formatNumber(value ?? 0, 1)} dB`}
        wish={(value) => set({ width_level_db: value ?? 0 })}
      />{" "}
      {Math.abs(strip.width_level_db - wanted) > 0.05 && (
        <PlainButton
          height="target"
          title="As loud over the song as it is without"
          onClick={() => void edit(set({ width_level_db: wanted }))}
        >
          make up for it
        </PlainButton>
      )}
    </span>
  );
}

const PARTS = ["level", "highs", "send"] as const;

/** How far away it stands: by one figure the level, what air takes of the highs, and what returns get. */
function Distance({ strip }: { strip: Strip }) {
  const [parts, setParts] = useState<readonly (typeof PARTS)[number][]>(PARTS);
  return (
    <chakra.span display="inline-flex" alignItems="center" gap="4px">
      <chakra.span color="quiet">distance</chakra.span>
      <WishField
        label={`${strip.name}: distance`}
        value={strip.distance_m}
        {...limitsOf("strip", "distance_m")}
        step={0.02}
        format={(value) => `${formatNumber(value ?? 1, (value ?? 1) < 10 ? 1 : 0)} m`}
        wish={(value) =>
          ({ type: "set-distance", strips: [strip.id], distance_m: value ?? 1, parts }) as Wish
        }
      />
      <chakra.span color="quiet">sets</chakra.span>
      {PARTS.map((part) => (
        <PlainButton
          key={part}
          height="target"
          aria-pressed={parts.includes(part)}
          bg={parts.includes(part) ? "wash" : "transparent"}
          title={PART_TITLES[part]}
          onClick={() => setParts(PARTS.filter((other) => (other === part) !== parts.includes(other)))}
        >
          {part}
        </PlainButton>
      ))}
    </chakra.span>
  );
}

const PART_TITLES: Record<(typeof PARTS)[number], string> = {
  level: "The fader follows one over the distance",
  highs: "An equaliser takes what air takes of the highs",
  send: "Returns go on getting as much",
};

/** Two ways to widen it, with what each would cost in mono. */
function Widen({ strip, place }: { strip: Strip; place: StagePlace }) {
  const { edit } = useActing();
  const ways = [
    { mode: "decorrelate", words: "by decorrelating", lossDb: place.decorrelated_loss_db },
    { mode: "offset", words: "by an offset", lossDb: place.offset_loss_db },
  ] as const;
  return (
    <chakra.span display="inline-flex" alignItems="center" gap="4px" flexWrap="wrap">
      <chakra.span color="quiet">widen</chakra.span>
      {ways.map(({ mode, words, lossDb }) => (
        <PlainButton
          key={mode}
          height="target"
          title="What mono would take of it then"
          onClick={() =>
            void edit({ type: "add-processor", strip: strip.id, processor: "widener", params: { mode } })
          }
        >
          {words}: {formatNumber(-(lossDb ?? 0), 1)} dB in mono
        </PlainButton>
      ))}
    </chakra.span>
  );
}
