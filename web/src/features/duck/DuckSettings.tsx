import { chakra } from "@chakra-ui/react";

import { useProcessorLabel } from "../../api/queries";
import { limitsOf, notesWith } from "../../api/parameters";
import type { Duck, DuckTarget, Strip, Wish } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { WishField } from "../../app/WishField";
import { Choice } from "../../controls/Choice";
import { PlainButton } from "../../controls/PlainButton";
import { SignButton } from "../../controls/SignButton";
import { walkChain } from "../../lib/chains";
import { GhostPattern } from "../focus";
import { formatDb, formatHz, formatNumber } from "../../lib/format";
import { Block, Row } from "./Side";

const CLOCKS = [
  { value: "repeat", label: "repeats each" },
  { value: "hits", label: "each hit of" },
  { value: "notes", label: "written notes" },
];
const PLACES = [
  { value: "pre-chain", label: "before its chain" },
  { value: "pre-fader", label: "after its chain" },
  { value: "post-fader", label: "after its fader" },
];
const BANDS = [
  { value: "all", label: "the whole signal" },
  { value: "below", label: "below" },
  { value: "above", label: "above" },
];

type DuckSettingsProps = { duck: Duck; heardAt: string | null; onHear: (strip: string) => void };

/** A drawn duck: its clock, its length, and its targets with their depths. */
export function DuckSettings({ duck, heardAt, onHear }: DuckSettingsProps) {
  const { edit, strips, state } = useOpen();
  const set = (values: Partial<Pick<Duck, "clock" | "length">>) =>
    void edit({ type: "set-duck", duck: duck.id, ...values } as Wish);
  const { clock } = duck;
  const triggers = [...strips.values()].filter(
    (strip) => strip.kind !== "mix" && !duck.targets.some((target) => target.strip === strip.id),
  );
  const setKind = (kind: string) => {
    const first = triggers.find((strip) => strip.kind === "ghost") ?? triggers[0];
    if (kind === "repeat") set({ clock: { kind: "repeat", note: "1/4", offset_s: 0 } });
    else if (kind === "notes")
      set({ clock: { kind: "notes", notes: [], track: state.document.note_tracks[0]?.id ?? null } });
    else if (first)
      void edit({ type: "set-duck", duck: duck.id, clock: { kind: "hits", from: first.id } } as Wish);
  };
  return (
    <>
      <Block title="Starts again">
        <chakra.div display="flex" gap="6px" alignItems="center" flexWrap="wrap">
          <Choice label="Clock" value={clock.kind} options={CLOCKS} onChange={setKind} />
          {clock.kind === "repeat" && (
            <Choice
              label="Each"
              value={clock.note}
              options={notesWith(clock.note)}
              onChange={(note) => set({ clock: { ...clock, note } })}
            />
          )}
          {clock.kind === "hits" && (
            <Choice
              label="Hits of"
              value={clock.from}
              color="key"
              options={triggers.map((strip) => ({ value: strip.id, label: strip.name }))}
              onChange={(from) => set({ clock: { ...clock, from } })}
            />
          )}
          {clock.kind === "notes" && (
            <Choice
              label="Note track"
              value={clock.track ?? ""}
              options={[
                { value: "", label: `${clock.notes.length} notes of its own` },
                ...state.document.note_tracks.map((track) => ({ value: track.id, label: track.name })),
              ]}
              onChange={(track) => set({ clock: { ...clock, track: track || null } })}
            />
          )}
        </chakra.div>
        {clock.kind === "hits" && (
          <Row name="counts as a hit from">
            <Threshold duck={duck} db={clock.threshold_db} /> dB
          </Row>
        )}
        <Row name="lasts">
          <Choice
            label="Length"
            value={typeof duck.length === "string" ? duck.length : "ms"}
            options={[
              ...notesWith(typeof duck.length === "string" ? duck.length : "1/4"),
              { value: "ms", label: typeof duck.length === "string" ? "in ms" : `${duck.length.ms} ms` },
            ]}
            onChange={(length) => set({ length: length === "ms" ? { ms: 250 } : length })}
          />
          {typeof duck.length !== "string" && <LengthMs duck={duck} ms={duck.length.ms} />}
        </Row>
        {clock.kind === "hits" && strips.get(clock.from)?.kind === "ghost" && (
          <GhostPattern strip={strips.get(clock.from) as Strip} />
        )}
        <chakra.div display="flex" gap="6px" marginTop="4px">
          {(["smooth", "reverse", "copy"] as const).map((how) => (
            <PlainButton
              key={how}
              height="target"
              padding="0 6px"
              title={how === "copy" ? "The first half of the curve over its second" : undefined}
              onClick={() => void edit({ type: "reshape-duck", duck: duck.id, how })}
            >
              {{ smooth: "Smooth", reverse: "Reverse", copy: "Copy half" }[how]}
            </PlainButton>
          ))}
        </chakra.div>
      </Block>
      <Block title="Targets">
        {duck.targets.map((target) => (
          <Target
            key={target.id}
            duck={duck}
            target={target}
            strip={strips.get(target.strip)}
            heard={heardAt === target.strip}
            onHear={() => onHear(target.strip)}
          />
        ))}
      </Block>
    </>
  );
}

type TargetProps = {
  duck: Duck;
  target: DuckTarget;
  strip: Strip | undefined;
  heard: boolean;
  onHear: () => void;
};

function Target({ duck, target, strip, heard, onHear }: TargetProps) {
  const { edit } = useOpen();
  const set = (settings: Record<string, unknown>): Wish =>
    ({ type: "set-duck-target", duck: duck.id, target: target.id, settings }) as Wish;
  const address = `ducks/${duck.id}/targets/${target.id}`;
  const name = strip?.name ?? target.strip;
  const labelOf = useProcessorLabel();
  const processors = walkChain(strip?.chain ?? []);
  const places = [
    ...PLACES,
    ...processors.map((item) => ({ value: `before ${item.id}`, label: `before its ${labelOf(item)}` })),
  ];
  return (
    <chakra.div borderBottom="1px solid" borderColor="rule" padding="3px 0">
      <chakra.div display="flex" alignItems="center" gap="6px">
        <chakra.span width="5px" height="15px" style={{ background: strip?.color }} />
        <chakra.button
          type="button"
          flex="1"
          textAlign="left"
          fontWeight="700"
          textDecoration={heard ? "underline" : "none"}
          cursor="pointer"
          title={`Show what it does to ${name}`}
          onClick={onHear}
        >
          {name}
        </chakra.button>
        <WishField
          label={`Depth on ${name}`}
          address={`${address}/depth_db`}
          value={target.depth_db}
          {...limitsOf("duck_target", "depth_db")}
          step={0.5}
          nullAt="bottom"
          emphasis
          format={(value) => (value === null ? "silence" : `${formatDb(value)} dB`)}
          wish={(value) => set({ depth_db: value })}
        />
        <SignButton
          label={`Take ${name} off`}
          onClick={() => void edit({ type: "remove-duck-targets", duck: duck.id, targets: [target.id] })}
        />
      </chakra.div>
      <chakra.div display="flex" gap="6px" alignItems="center" color="quiet">
        <Choice
          label={`Part of ${name}`}
          value={target.band}
          options={BANDS}
          onChange={(band) => void edit(set({ band }))}
        />
        {target.band !== "all" && (
          <WishField
            label={`Crossover on ${name}`}
            value={target.crossover_hz}
            {...limitsOf("duck_target", "crossover_hz")}
            step={0.02}
            format={(value) => `${formatHz(value ?? 0)} Hz`}
            wish={(value) => set({ crossover_hz: value })}
          />
        )}
        <Choice
          label={`Place on ${name}`}
          value={target.before ? `before ${target.before}` : target.at}
          options={places}
          onChange={(place) =>
            void edit(
              set(place.startsWith("before ") ? { before: place.slice(7) } : { at: place, before: null }),
            )
          }
        />
      </chakra.div>
    </chakra.div>
  );
}

function Threshold({ duck, db }: { duck: Duck; db: number }) {
  const address = `ducks/${duck.id}/clock/threshold_db`;
  return (
    <WishField
      label="Hit threshold"
      value={db}
      {...limitsOf("hits", "threshold_db")}
      step={0.5}
      format={(value) => formatDb(value)}
      wish={(value) => ({ type: "set-parameters", values: [{ address, value }] })}
    />
  );
}

function LengthMs({ duck, ms }: { duck: Duck; ms: number }) {
  return (
    <WishField
      label="Length in ms"
      value={ms}
      {...limitsOf("length_ms", "ms")}
      step={0.02}
      format={(value) => formatNumber(value ?? 0, 0)}
      wish={(value) => ({ type: "set-duck", duck: duck.id, length: { ms: value ?? 250 } })}
    />
  );
}
