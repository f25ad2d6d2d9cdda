import { chakra } from "@chakra-ui/react";
import { useCallback, useEffect, useRef, useState } from "react";

import { limitsOf } from "../../api/parameters";
import type { Key, KeyedProcessor, ProcessorValues, Strip } from "../../api/types";
import { useActing, useOpen, useTransport } from "../../app/SessionContext";
import { useCanvas } from "../../canvas/useCanvas";
import { Choice } from "../../controls/Choice";
import { ValueField } from "../../controls/ValueField";
import { formatDb, formatHz, formatNumber } from "../../lib/format";
import { SILENT_DB } from "../../live/frames";
import { paintTrace, paintTransfer, TRACE_S } from "./drawCompressor";
import { KeyCurve } from "./KeyCurve";
import { Parameters } from "./Parameters";
import { useCurve } from "./useCurve";

const DEAF_DB = -90;

/** A compressor or a gate: transfer curve with the live point, gain reduction over time, parameters, and what it listens to. */
export function KeyedCard({ strip, processor }: { strip: Strip; processor: KeyedProcessor }) {
  const { live, edit } = useActing();
  const { playing } = useTransport();
  const curve = useCurve(processor.id);
  const trace = useRef<{ at: number; reductionDb: number }[]>([]);
  const now = useRef({ detectedDb: SILENT_DB, reductionDb: 0 });

  const read = useCallback(() => {
    const frame = live.frame();
    const { detectedDb, reductionDb } = live.reading(frame, processor.id);
    now.current = { detectedDb, reductionDb };
    if (frame) trace.current.push({ at: performance.now(), reductionDb });
    while (trace.current[0] && performance.now() - trace.current[0].at > TRACE_S * 1000)
      trace.current.shift();
  }, [live, processor.id]);

  const { ref: transfer } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) => {
        read();
        paintTransfer(context, widthPx, heightPx, colors, curve, processor.params.threshold_db, now.current);
      },
      [curve, processor.params.threshold_db, read],
    ),
    playing && "wandering",
  );
  const { ref: history } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) => paintTrace(context, widthPx, heightPx, colors, trace.current),
      [],
    ),
    playing && "wandering",
  );

  const action = (values: ProcessorValues) => ({
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
      <Parameters
        kind={processor.type}
        params={processor.params}
        action={action}
        address={`strips/${strip.id}/chain/${processor.id}`}
      />
      <KeyPicker strip={strip} processor={processor} onKey={(key) => void edit(action({ key }))} />
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

type KeyPickerProps = { strip: Strip; processor: KeyedProcessor; onKey: (key: Key) => void };

const TAPS = [
  { value: "pre-chain", label: "before its chain" },
  { value: "pre-fader", label: "before its fader" },
  { value: "post-fader", label: "after its fader" },
];

/** What the detector listens to, with a lamp that is lit while it hears something. */
export function KeyPicker({ strip, processor, onKey }: KeyPickerProps) {
  const { strips, live } = useOpen();
  const [hears, setHears] = useState(false);
  useEffect(() => {
    const timer = setInterval(() => setHears(live.takeDetectedDb(processor.id) > DEAF_DB), 100);
    return () => clearInterval(timer);
  }, [live, processor.id]);
  const key = processor.key;
  const others = [...strips.values()].filter((other) => other.id !== strip.id && other.kind !== "mix");
  const change = (values: Partial<Key>) => onKey({ ...key, ...values });
  const address = `strips/${strip.id}/chain/${processor.id}/key`;
  const cut = (name: "low_cut_hz" | "high_cut_hz", nullAt: "bottom" | "top") => (
    <ValueField
      label={name === "low_cut_hz" ? "Detector low cut" : "Detector high cut"}
      address={`${address}/filter/${name}`}
      value={key.filter[name] ?? null}
      {...limitsOf("key_filter", name)}
      step={0.02}
      nullAt={nullAt}
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
      <chakra.div display="flex" alignItems="center" columnGap="6px" flexWrap="wrap">
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
      <chakra.div
        display="flex"
        alignItems="center"
        columnGap="6px"
        minHeight="22px"
        flexWrap="wrap"
        whiteSpace="nowrap"
      >
        <chakra.span color="quiet">from</chakra.span> {cut("low_cut_hz", "bottom")}
        <chakra.span color="quiet">to</chakra.span> {cut("high_cut_hz", "top")}{" "}
        <chakra.span color="quiet">Hz, gain</chakra.span>{" "}
        <ValueField
          label="Key gain"
          address={`${address}/gain_db`}
          value={key.gain_db}
          {...limitsOf("key", "gain_db")}
          step={0.5}
          format={formatDb}
          onPreview={(value) => live.preview(keyAction(strip, processor, { gain_db: value ?? 0 }))}
          onCommit={(value) => change({ gain_db: value ?? 0 })}
          onCancel={() => live.revert()}
        />{" "}
        <chakra.span color="quiet">dB</chakra.span>
      </chakra.div>
      <KeyCurve
        strip={strip}
        processor={processor}
        wish={(bands) => keyAction(strip, processor, { filter: { ...key.filter, bands } })}
      />
    </chakra.div>
  );
}

function keyAction(strip: Strip, processor: KeyedProcessor, values: Partial<Key>) {
  return {
    type: "set-processor" as const,
    strip: strip.id,
    processor: processor.id,
    key: { ...processor.key, ...values },
  };
}
