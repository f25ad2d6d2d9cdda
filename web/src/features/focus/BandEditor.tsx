import { chakra } from "@chakra-ui/react";
import { useRef, useState, type KeyboardEvent, type PointerEvent, type ReactNode } from "react";

import { choicesOf, limitsOf, withinLimits } from "../../api/parameters";
import type { FilterBand } from "../../api/types";
import { useTransport } from "../../app/SessionContext";
import type { Colors } from "../../canvas/colors";
import { frequencyToPx, pxToFrequency } from "../../canvas/scale";
import { useCanvas } from "../../canvas/useCanvas";
import { Choice } from "../../controls/Choice";
import { PlainButton } from "../../controls/PlainButton";
import { ValueField } from "../../controls/ValueField";
import { formatHz, formatNumber } from "../../lib/format";
import { EQ_RANGE_DB, gainToPx, pxToGain } from "./drawEq";
import { SignButton } from "../../controls/SignButton";
import { useNudge } from "../../controls/useNudge";
import { followPointer } from "../../controls/followPointer";

const GRAPH_HEIGHT_PX = 96;
const MAX_BANDS = 8;

type BandEditorProps<Band extends FilterBand> = {
  /** What its bands are called: "Band", "Detector band". */
  label: string;
  bands: Band[];
  fresh: Band;
  firstChosen?: string;
  /** Of the bands, so that they can be drawn over the song. */
  address: string;
  paint: (context: CanvasRenderingContext2D, widthPx: number, heightPx: number, colors: Colors) => void;
  onPreview: (bands: Band[]) => void;
  onCommit: (bands: Band[]) => Promise<unknown>;
  onCancel: () => void;
  /** More about the chosen band. */
  children?: (band: Band, set: (values: Partial<Band>) => void) => ReactNode;
};

/** Bands of a filter over what is painted of them: points to drag, figures of the chosen band. */
export function BandEditor<Band extends FilterBand>(props: BandEditorProps<Band>) {
  const { label, fresh, address, paint, children } = props;
  const { playing } = useTransport();
  const graph = useRef<HTMLDivElement>(null);
  const [moving, setMoving] = useState<Band[] | null>(null);
  const [chosen, setChosen] = useState(() =>
    Math.max(
      0,
      props.bands.findIndex((one) => one.id === props.firstChosen),
    ),
  );
  const { nudged, nudge } = useNudge({
    value: props.bands,
    onPreview: props.onPreview,
    onCommit: (next) => void props.onCommit(next),
  });
  const bands = moving ?? nudged;
  const band = bands[Math.min(chosen, bands.length - 1)];
  const changed = (index: number, values: Partial<FilterBand>) =>
    withBand(bands, index, values as Partial<Band>);
  const commit = (next: Band[]) => {
    setMoving(next);
    void props.onCommit(next).then(() => setMoving(null));
  };
  const preview = (next: Band[]) => {
    setMoving(next);
    props.onPreview(next);
  };
  const cancel = () => {
    setMoving(null);
    props.onCancel();
  };
  const { ref: canvas } = useCanvas(paint, playing && "wandering");

  const onPointerDown = (index: number) => (event: PointerEvent<HTMLElement>) => {
    event.stopPropagation();
    setChosen(index);
    const box = graph.current?.getBoundingClientRect();
    const start = bands[index];
    if (!box || !start) return;
    let next: Band[] = bands;
    followPointer(event, {
      onMove: (pointer) => {
        const frequency = Math.min(20000, Math.max(20, pxToFrequency(pointer.clientX - box.left, box.width)));
        const gain = pxToGain(pointer.clientY - box.top, box.height);
        const values: Partial<FilterBand> = { frequency_hz: Number(frequency.toPrecision(4)) };
        if (hasGain(start)) {
          values.gain_db = Math.round(10 * Math.min(EQ_RANGE_DB, Math.max(-EQ_RANGE_DB, gain))) / 10;
        }
        next = changed(index, values);
        preview(next);
      },
      onEnd: (released) => {
        if (released) commit(next);
        else cancel();
      },
    });
  };

  const onKeyDown = (index: number) => (event: KeyboardEvent) => {
    const old = bands[index];
    if (!old) return;
    const along = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    const up = { ArrowUp: 0.5, ArrowDown: -0.5 }[event.key];
    const step = (values: (from: FilterBand) => Partial<FilterBand>) =>
      nudge((from) => withBand(from, index, values(from[index] ?? old) as Partial<Band>));
    if (along) step((from) => ({ frequency_hz: clampHz(from.frequency_hz * 2 ** (along / 12)) }));
    else if (up && hasGain(old))
      step((from) => ({ gain_db: withinLimits("eq_band", "gain_db", from.gain_db + up) }));
    else if (event.key === "Delete") commit(bands.filter((_, place) => place !== index));
    else return;
    event.preventDefault();
    event.stopPropagation();
  };

  const field = (name: "frequency_hz" | "gain_db" | "q", step: number) =>
    band && (
      <ValueField
        label={`${label} ${chosen + 1} ${name === "q" ? "Q" : name === "gain_db" ? "gain" : "frequency"}`}
        address={`${address}/${band.id}/${name}`}
        value={band[name]}
        {...limitsOf("eq_band", name)}
        step={step}
        format={(value) =>
          name === "frequency_hz" ? formatHz(value ?? 0) : formatNumber(value ?? 0, name === "q" ? 2 : 1)
        }
        onPreview={(value) => preview(changed(chosen, { [name]: value ?? 0 }))}
        onCommit={(value) => commit(changed(chosen, { [name]: value ?? 0 }))}
        onCancel={cancel}
      />
    );

  return (
    <>
      <chakra.div
        ref={graph}
        position="relative"
        height={`${GRAPH_HEIGHT_PX}px`}
        title="Double-click for a new band"
        onDoubleClick={(event) => {
          if (bands.length >= MAX_BANDS) return;
          const box = event.currentTarget.getBoundingClientRect();
          const frequency_hz = clampHz(pxToFrequency(event.clientX - box.left, box.width));
          const gain_db = withinLimits("eq_band", "gain_db", pxToGain(event.clientY - box.top, box.height));
          setChosen(bands.length);
          commit([...bands, { ...fresh, frequency_hz, gain_db }]);
        }}
      >
        <chakra.canvas ref={canvas} position="absolute" inset="0" width="100%" height="100%" />
        {bands.map((item, index) => (
          <BandPoint
            key={index}
            name={`${label} ${index + 1}`}
            band={item}
            chosen={item === band}
            onPointerDown={onPointerDown(index)}
            onKeyDown={onKeyDown(index)}
            onFocus={() => setChosen(index)}
          />
        ))}
      </chakra.div>
      {band ? (
        <>
          <chakra.div display="flex" gap="8px" alignItems="center" fontSize="small" whiteSpace="nowrap">
            <Choice
              label={`${label} ${chosen + 1} shape`}
              value={band.shape}
              options={choicesOf("eq_band", "shape").map((shape) => ({ value: shape, label: shape }))}
              onChange={(shape) => commit(changed(chosen, { shape: shape as FilterBand["shape"] }))}
              width="66px"
            />
            <span>{field("frequency_hz", 0.01)} Hz</span>
            {hasGain(band) && <span>{field("gain_db", 0.5)} dB</span>}
            {band.shape.endsWith("cut") ? (
              <Choice
                label={`${label} ${chosen + 1} slope`}
                value={String(band.slope_db_per_octave)}
                options={choicesOf("eq_band", "slope_db_per_octave").map((slope) => ({
                  value: slope,
                  label: `${slope} dB/oct`,
                }))}
                onChange={(slope) =>
                  commit(
                    changed(chosen, {
                      slope_db_per_octave: Number(slope) as FilterBand["slope_db_per_octave"],
                    }),
                  )
                }
              />
            ) : (
              band.shape !== "tilt" && <span>Q {field("q", 0.02)}</span>
            )}
            <SignButton
              label={`Remove ${label.toLowerCase()} ${chosen + 1}`}
              onClick={() => commit(bands.filter((_, place) => place !== chosen))}
            />
          </chakra.div>
          {children?.(band, (values) => commit(withBand(bands, chosen, values)))}
        </>
      ) : (
        <PlainButton onClick={() => commit([fresh])}>First band</PlainButton>
      )}
    </>
  );
}

function withBand<Band extends FilterBand>(bands: Band[], index: number, values: Partial<Band>): Band[] {
  return bands.map((old, place) => (place === index ? { ...old, ...values } : old));
}

type BandPointProps = {
  name: string;
  band: FilterBand;
  chosen: boolean;
  onPointerDown: (event: PointerEvent<HTMLElement>) => void;
  onKeyDown: (event: KeyboardEvent) => void;
  onFocus: () => void;
};

function BandPoint({ name, band, chosen, onPointerDown, onKeyDown, onFocus }: BandPointProps) {
  const gain = hasGain(band) ? band.gain_db : 0;
  return (
    <chakra.div
      role="slider"
      tabIndex={0}
      aria-label={`${name}: ${band.shape}`}
      aria-valuemin={20}
      aria-valuemax={20000}
      aria-valuenow={band.frequency_hz}
      aria-valuetext={`${formatHz(band.frequency_hz)} Hz, ${formatNumber(gain, 1)} dB`}
      position="absolute"
      width="24px"
      height="24px"
      marginLeft="-12px"
      marginTop="-12px"
      display="grid"
      placeItems="center"
      cursor="grab"
      touchAction="none"
      style={{
        left: `${frequencyToPx(band.frequency_hz, 100)}%`,
        top: `${gainToPx(gain, GRAPH_HEIGHT_PX)}px`,
      }}
      onPointerDown={onPointerDown}
      onKeyDown={onKeyDown}
      onFocus={onFocus}
    >
      <chakra.div
        width="10px"
        height="10px"
        borderRadius="50%"
        border="2px solid"
        borderColor="focus"
        bg={chosen ? "focus" : "card"}
        pointerEvents="none"
      />
    </chakra.div>
  );
}

export function hasGain(band: FilterBand): boolean {
  return band.shape === "bell" || band.shape === "tilt" || band.shape.endsWith("shelf");
}

function clampHz(frequencyHz: number): number {
  const { minimum, maximum } = limitsOf("eq_band", "frequency_hz");
  return Number(Math.min(maximum, Math.max(minimum, frequencyHz)).toPrecision(4));
}
