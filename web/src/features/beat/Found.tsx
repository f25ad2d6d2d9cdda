import { chakra } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";

import { server } from "../../api/client";
import type { Tempo } from "../../api/types";
import { useMeasurement } from "../../api/useMeasurement";
import { useOpen } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { formatNumber, formatTime } from "../../lib/format";
import { tapped, tempoOf } from "../../lib/tap";
import { useMidi } from "./useMidi";
import { begunAt } from "./TempoRows";

type Estimate = { bpm: number; confidence: number; first_beat_s: number; revision: number };
type FoundProps = { onUse: (tempo: Tempo[], gridOnly?: boolean) => void };

/** A tempo that was tapped, estimated or read; none is used before one says so. */
export function Found({ onUse }: FoundProps) {
  return (
    <chakra.div
      display="grid"
      gridTemplateColumns="auto 1fr"
      columnGap="10px"
      rowGap="4px"
      alignItems="center"
      marginTop="10px"
    >
      <Tapped onUse={onUse} />
      <Estimated onUse={onUse} />
      <FromMidi />
    </chakra.div>
  );
}

function withBpm(tempo: Tempo[], bpm: number): Tempo[] {
  return tempo.map((change, index) => (index === 0 ? { ...change, bpm } : change));
}

function Tapped({ onUse }: FoundProps) {
  const { state } = useOpen();
  const [taps, setTaps] = useState<number[]>([]);
  const tap = () => setTaps((times) => tapped(times, performance.now()));
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() !== "t" || (event.target as HTMLElement).closest("input, select")) return;
      event.preventDefault();
      tap();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  const found = tempoOf(taps);
  return (
    <>
      <PlainButton data-autofocus height="target" onClick={tap}>
        tap, or press T
      </PlainButton>
      <chakra.span display="flex" gap="10px" alignItems="center" minHeight="target">
        <chakra.span textStyle="number" aria-live="polite">
          {found === null ? (taps.length ? `${taps.length} of 3` : "") : formatNumber(found, 1)}
        </chakra.span>
        {found !== null && (
          <PlainButton height="target" onClick={() => onUse(withBpm(state.document.tempo, found))}>
            use {formatNumber(found, 1)}
          </PlainButton>
        )}
      </chakra.span>
    </>
  );
}

function Estimated({ onUse }: FoundProps) {
  const { state, strips } = useOpen();
  const focused = useView((view) => view.focused);
  const [asked, setAsked] = useState<{ strip: string; number: number } | null>(null);
  const { result, progress, problem } = useMeasurement<Estimate>({
    start: () =>
      server.POST("/api/sessions/{session_id}/strips/{strip_id}/tempo", {
        params: { path: { session_id: state.id, strip_id: asked?.strip ?? "" } },
      }),
    about: asked?.strip ?? null,
    version: asked?.number ?? 0,
    settleMs: 0,
  });
  const { tempo } = state.document;
  const first = tempo[0];
  const bpm = result && Math.round(10 * result.bpm) / 10;
  return (
    <>
      <PlainButton
        height="target"
        title="Listens to what its fader gets, through the song"
        onClick={() => setAsked({ strip: focused, number: (asked?.number ?? 0) + 1 })}
      >
        estimate from {strips.get(focused)?.name ?? "the focused strip"}
      </PlainButton>
      <chakra.span
        display="flex"
        gap="8px"
        alignItems="center"
        flexWrap="wrap"
        minHeight="target"
        role="status"
      >
        {problem ?? (progress !== null ? `listening ${Math.round(100 * progress)} %` : "")}
        {!problem && progress === null && result && bpm !== null && first && (
          <>
            <chakra.span whiteSpace="nowrap">
              {formatNumber(bpm, 1)}, sure by {Math.round(100 * result.confidence)} %
            </chakra.span>
            <PlainButton height="target" onClick={() => onUse(withBpm(tempo, bpm))}>
              use {formatNumber(bpm, 1)}
            </PlainButton>
            <PlainButton
              height="target"
              title="The grid is laid over the song, nothing else moves"
              onClick={() => onUse(begunAt(withBpm(tempo, bpm), result.first_beat_s), true)}
            >
              and begin at {formatTime(result.first_beat_s, 2)}
            </PlainButton>
          </>
        )}
      </chakra.span>
    </>
  );
}

function FromMidi() {
  const { takeMidi } = useMidi();
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        hidden
        accept=".mid,.midi,audio/midi"
        aria-label="MIDI file"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) void takeMidi(file);
          event.target.value = "";
        }}
      />
      <PlainButton height="target" onClick={() => input.current?.click()}>
        read a MIDI file…
      </PlainButton>
      <chakra.span color="quiet" fontSize="small">
        tempo, metre, markers as sections, notes
      </chakra.span>
    </>
  );
}
