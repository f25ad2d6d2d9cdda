import { chakra } from "@chakra-ui/react";
import { useCallback, useEffect, useRef, useState } from "react";

import type { Compressor, CompressorParams, Key, Strip } from "../../api/types";
import { useProcessors } from "../../api/queries";
import { useOpen } from "../../app/SessionContext";
import { useCanvas } from "../../canvas/useCanvas";
import { Choice } from "../../controls/Choice";
import { ValueField } from "../../controls/ValueField";
import { formatHz, formatNumber } from "../../lib/format";
import { paintTrace, paintTransfer, TRACE_S } from "./drawCompressor";
import { useCurve } from "./useCurve";

const DEAF_DB = -90;

type NumericName = Exclude<keyof CompressorParams, "detector">;

const SHOWN: { name: NumericName; label: string; decimals: number }[] = [
  { name: "threshold_db", label: "threshold", decimals: 1 },
  { name: "ratio", label: "ratio", decimals: 1 },
  { name: "knee_db", label: "knee", decimals: 1 },
  { name: "range_db", label: "at most", decimals: 1 },
  { name: "attack_ms", label: "attack", decimals: 1 },
  { name: "hold_ms", label: "hold", decimals: 0 },
  { name: "release_ms", label: "release", decimals: 0 },
  { name: "lookahead_ms", label: "lookahead", decimals: 1 },
  { name: "makeup_db", label: "make-up", decimals: 1 },
  { name: "mix", label: "mix", decimals: 2 },
  { name: "stereo_link", label: "link", decimals: 2 },
];

/** The compressor: transfer curve with the live point, gain reduction over time, parameters, and what it listens to. */
export function CompressorCard({
  strip,
  processor,
  place,
}: {
  strip: Strip;
  processor: Compressor;
  place: number;
}) {
  const { live, edit } = useOpen();
  const curve = useCurve(processor.id);
  const trace = useRef<{ at: number; reductionDb: number }[]>([]);
  const now = useRef({ detectedDb: -150, reductionDb: 0 });

  const read = useCallback(() => {
    const frame = live.frame();
    const detectedDb = frame?.probe[3 * place + 1] ?? -150;
    const reductionDb = frame?.probe[3 * place + 2] ?? 0;
    now.current = { detectedDb, reductionDb };
    if (frame) trace.current.push({ at: performance.now(), reductionDb });
    while (trace.current[0] && performance.now() - trace.current[0].at > TRACE_S * 1000)
      trace.current.shift();
  }, [live, place]);

  const { ref: transfer } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) => {
        read();
        paintTransfer(context, widthPx, heightPx, colors, curve, processor.params.threshold_db, now.current);
      },
      [curve, processor.params.threshold_db, read],
    ),
    true,
  );
  const { ref: history } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) => paintTrace(context, widthPx, heightPx, colors, trace.current),
      [],
    ),
    true,
  );

  const action = (values: object) => ({
    type: "set-processor" as const,
    strip: strip.id,
    processor: processor.id,
    ...values,
  });

  return (
    <>
      <chakra.div display="flex" gap="8px" marginBottom="4px">
        <chakra.canvas ref={transfer} width="84px" height="76px" aria-label="Transfer curve" />
        <chakra.canvas
          ref={history}
          width="calc(100% - 92px)"
          height="76px"
          aria-label="Gain reduction, last 3 s"
        />
      </chakra.div>
      <Reduction now={now} />
      <Parameters processor={processor} action={action} />
      <KeyPicker strip={strip} processor={processor} now={now} onKey={(key) => void edit(action({ key }))} />
    </>
  );
}

type Now = { current: { detectedDb: number; reductionDb: number } };

/** The reduction in figures, for those who cannot see the trace. */
function Reduction({ now }: { now: Now }) {
  const ref = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const timer = setInterval(() => {
      if (ref.current) ref.current.textContent = formatNumber(-now.current.reductionDb, 1);
    }, 100);
    return () => clearInterval(timer);
  }, [now]);
  return (
    <chakra.div display="flex" justifyContent="space-between" fontSize="small" color="quiet">
      <span>in → out, dBFS</span>
      <span>
        reduction{" "}
        <chakra.span ref={ref} textStyle="number" fontWeight="700" color="ink" data-testid="reduction">
          0.0
        </chakra.span>{" "}
        dB
      </span>
    </chakra.div>
  );
}

type ParametersProps = {
  processor: Compressor;
  action: (values: object) => { type: "set-processor"; [key: string]: unknown };
};

function Parameters({ processor, action }: ParametersProps) {
  const { live, edit } = useOpen();
  const { data: kinds } = useProcessors();
  const table = kinds?.find((kind) => kind.kind === "compressor")?.parameters as ParameterTable | undefined;
  if (!table) return null;
  return (
    <chakra.div display="grid" gridTemplateColumns="1fr 1fr" columnGap="12px" fontSize="small">
      {SHOWN.map(({ name, label, decimals }) => {
        const range = rangeOf(table, name);
        const logarithmic = range.scale === "logarithmic";
        return (
          <chakra.label
            key={name}
            display="flex"
            justifyContent="space-between"
            alignItems="center"
            height="22px"
          >
            <chakra.span color="quiet">{label}</chakra.span>
            <span>
              <ValueField
                label={label}
                value={processor.params[name] ?? null}
                minimum={range.minimum}
                maximum={range.maximum}
                fallback={range.fallback}
                step={logarithmic ? 0.02 : range.maximum <= 1 ? 0.02 : 0.5}
                logarithmic={logarithmic}
                nullAt={range.nullable ? "top" : undefined}
                unit={range.unit}
                format={(value) =>
                  value === null ? (name === "ratio" ? "∞" : "any") : formatNumber(value, decimals)
                }
                onPreview={(value) => live.preview(action({ params: { [name]: value } }))}
                onCommit={(value) => void edit(action({ params: { [name]: value } }))}
                onCancel={() => live.revert()}
              />{" "}
              <chakra.span color="quiet">{range.unit === ":1" ? ": 1" : range.unit}</chakra.span>
            </span>
          </chakra.label>
        );
      })}
      <chakra.label display="flex" justifyContent="space-between" alignItems="center" height="22px">
        <chakra.span color="quiet">detector</chakra.span>
        <Choice
          label="Detector"
          value={processor.params.detector}
          options={[
            { value: "peak", label: "peak" },
            { value: "rms", label: "RMS" },
          ]}
          onChange={(detector) => void edit(action({ params: { detector } }))}
        />
      </chakra.label>
    </chakra.div>
  );
}

type NumberSchema = { minimum?: number; maximum?: number; type?: string };
type ParameterTable = {
  properties: Record<
    string,
    NumberSchema & { anyOf?: NumberSchema[]; default?: number | null; unit?: string; scale?: string }
  >;
};

function rangeOf(table: ParameterTable, name: string) {
  const field = table.properties[name];
  const numeric = field?.anyOf?.find((option) => option.type === "number") ?? field;
  return {
    minimum: numeric?.minimum ?? 0,
    maximum: numeric?.maximum ?? 1,
    fallback: field?.default ?? null,
    nullable: Boolean(field?.anyOf?.some((option) => option.type === "null")),
    unit: field?.unit ?? "",
    scale: field?.scale ?? "linear",
  };
}

type KeyPickerProps = { strip: Strip; processor: Compressor; now: Now; onKey: (key: Key) => void };

const TAPS = [
  { value: "pre-chain", label: "before its chain" },
  { value: "pre-fader", label: "before its fader" },
  { value: "post-fader", label: "after its fader" },
];

/** What the detector listens to, with a lamp that is lit while it hears something. */
function KeyPicker({ strip, processor, now, onKey }: KeyPickerProps) {
  const { strips, live } = useOpen();
  const [hears, setHears] = useState(false);
  useEffect(() => {
    const timer = setInterval(() => setHears(now.current.detectedDb > DEAF_DB), 100);
    return () => clearInterval(timer);
  }, [now]);
  const key = processor.key;
  const others = [...strips.values()].filter((other) => other.id !== strip.id && other.kind !== "mix");
  const change = (values: Partial<Key>) => onKey({ ...key, ...values });
  const cut = (name: "low_cut_hz" | "high_cut_hz", nullAt: "bottom" | "top") => (
    <ValueField
      label={name === "low_cut_hz" ? "Detector low cut" : "Detector high cut"}
      value={key.filter[name] ?? null}
      minimum={20}
      maximum={20000}
      fallback={null}
      step={0.02}
      logarithmic
      nullAt={nullAt}
      unit="Hz"
      format={(value) => (value === null ? "open" : formatHz(value))}
      onPreview={(value) =>
        live.preview(keyAction(strip, processor, { filter: { ...key.filter, [name]: value } }))
      }
      onCommit={(value) => change({ filter: { ...key.filter, [name]: value } })}
      onCancel={() => live.revert()}
    />
  );
  return (
    <chakra.div marginTop="4px" paddingTop="4px" borderTop="1px solid" borderColor="rule" fontSize="small">
      <chakra.div display="flex" alignItems="center" gap="6px">
        <chakra.span
          role="img"
          aria-label={
            key.from ? (hears ? "key connected, hears signal" : "key connected, hears nothing") : "no key"
          }
          data-testid="key-lamp"
          data-lit={hears}
          width="9px"
          height="9px"
          flexShrink="0"
          borderRadius="50%"
          border="2px solid"
          borderColor={key.from ? "key" : "edge"}
          bg={hears ? (key.from ? "key" : "edge") : "transparent"}
        />
        <chakra.span color="quiet">hears</chakra.span>
        <Choice
          label="Key from"
          value={key.from ?? ""}
          width="96px"
          color={key.from ? "key" : "ink"}
          options={[
            { value: "", label: "itself" },
            ...others.map((other) => ({ value: other.id, label: other.name })),
          ]}
          onChange={(from) => change({ from: from || null })}
        />
        {key.from && (
          <Choice
            label="Key tap"
            value={key.tap}
            width="94px"
            options={TAPS}
            onChange={(tap) => change({ tap: tap as Key["tap"] })}
          />
        )}
      </chakra.div>
      <chakra.div display="flex" alignItems="center" gap="6px" height="22px">
        <chakra.span color="quiet">from</chakra.span> {cut("low_cut_hz", "bottom")}
        <chakra.span color="quiet">to</chakra.span> {cut("high_cut_hz", "top")}{" "}
        <chakra.span color="quiet">Hz</chakra.span>
      </chakra.div>
    </chakra.div>
  );
}

function keyAction(strip: Strip, processor: Compressor, values: Partial<Key>) {
  return {
    type: "set-processor" as const,
    strip: strip.id,
    processor: processor.id,
    key: { ...processor.key, ...values },
  };
}
