import { chakra } from "@chakra-ui/react";
import { useEffect, useState } from "react";

import { limitsOf } from "../../api/parameters";
import type { Tempo, Wish } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { Choice } from "../../controls/Choice";
import { PlainButton } from "../../controls/PlainButton";
import { ValueField } from "../../controls/ValueField";
import { formatNumber } from "../../lib/format";
import { noteSign } from "../../lib/music";
import { tapped, tempoOf } from "../../lib/tap";
import { Panel } from "../session";

const BEATS = ["1/2", "1/4", "1/4.", "1/8", "1/8.", "1/16"];
const METRES = ["2/4", "3/4", "4/4", "5/4", "6/4", "7/4", "3/8", "5/8", "6/8", "7/8", "9/8", "12/8"];

/** Tempo and metre of the song: typed or tapped. */
export function TempoPanel() {
  const asked = useView((view) => view.dialog === "tempo");
  return asked ? <Asking /> : null;
}

function Asking() {
  const { state, live, edit } = useOpen();
  const [taps, setTaps] = useState<number[]>([]);
  const [tempo, ...later] = state.document.tempo;
  const close = () => useView.setState({ dialog: null });
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
  if (!tempo) return null;
  const wish = (values: Partial<Tempo>): Wish => ({
    type: "set-song",
    tempo: [{ ...tempo, ...values }, ...later],
  });
  const found = tempoOf(taps);
  return (
    <Panel title="Tempo" onClose={close}>
      <chakra.div display="grid" gridTemplateColumns="72px 1fr" rowGap="10px" alignItems="center">
        <chakra.span color="quiet">beat</chakra.span>
        <span>
          <Choice
            label="Note that counts"
            value={tempo.beat}
            options={[...new Set([...BEATS, tempo.beat])].map((value) => ({ value, label: noteSign(value) }))}
            onChange={(beat) => void edit(wish({ beat }))}
          />{" "}
          ={" "}
          <ValueField
            label="Tempo in beats a minute"
            value={tempo.bpm}
            {...limitsOf("tempo", "bpm")}
            step={0.5}
            width="40px"
            align="left"
            emphasis
            format={(bpm) => formatNumber(bpm ?? 0, 1)}
            onPreview={(bpm) => live.preview(wish({ bpm: bpm ?? tempo.bpm }))}
            onCommit={(bpm) => void edit(wish({ bpm: bpm ?? tempo.bpm }))}
            onCancel={() => live.revert()}
          />{" "}
          a minute
        </span>
        <chakra.span color="quiet">metre</chakra.span>
        <span>
          <Choice
            label="Metre"
            value={tempo.metre}
            options={[...new Set([...METRES, tempo.metre])].map((value) => ({ value, label: value }))}
            onChange={(metre) => void edit(wish({ metre }))}
          />
        </span>
        <chakra.span color="quiet">tap</chakra.span>
        <chakra.span display="flex" gap="10px" alignItems="center">
          <PlainButton data-autofocus onClick={tap}>
            tap, or press T
          </PlainButton>
          <chakra.span textStyle="number" aria-live="polite">
            {found === null ? (taps.length ? `${taps.length} of 3` : "") : formatNumber(found, 1)}
          </chakra.span>
          {found !== null && (
            <PlainButton onClick={() => void edit(wish({ bpm: found }))}>
              use {formatNumber(found, 1)}
            </PlainButton>
          )}
        </chakra.span>
      </chakra.div>
      {later.length > 0 && (
        <chakra.p color="quiet" fontSize="small" marginTop="8px">
          The song changes its tempo {later.length === 1 ? "once" : `${later.length} times`} later on; that
          stays.
        </chakra.p>
      )}
    </Panel>
  );
}
