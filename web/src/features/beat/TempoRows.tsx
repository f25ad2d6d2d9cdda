import { chakra } from "@chakra-ui/react";

import { BEATS, limitsOf, METRES } from "../../api/parameters";
import type { Tempo } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { Choice } from "../../controls/Choice";
import { PlainButton } from "../../controls/PlainButton";
import { SignButton } from "../../controls/SignButton";
import { ValueField } from "../../controls/ValueField";
import { barAndBeat, barsAt, snapped, timeOfBars } from "../../lib/beatGrid";
import { formatNumber, formatTime } from "../../lib/format";
import { noteSign } from "../../lib/music";

type TempoRowsProps = {
  onPreview: (tempo: Tempo[]) => void;
  /** `gridOnly`: the song stays as it is, only its bars are counted otherwise. */
  onCommit: (tempo: Tempo[], gridOnly?: boolean) => void;
  onCancel: () => void;
};

/** Every tempo of the song: from where on, which note how often, in which metre. */
export function TempoRows({ onPreview, onCommit, onCancel }: TempoRowsProps) {
  const { state, live, grid } = useOpen();
  const { tempo } = state.document;
  const changed = (index: number, values: Partial<Tempo>) =>
    tempo.map((change, place) => (place === index ? { ...change, ...values } : change));
  const hereS = snapped(grid, live.positionS(), "bar");
  const add = () => {
    const before = tempo.findLast((change) => change.at_s <= hereS) ?? tempo[0];
    if (!before) return;
    const others = tempo.filter((change) => change.at_s !== hereS);
    onCommit([...others, { ...before, at_s: hereS }].sort((one, other) => one.at_s - other.at_s));
  };
  const canAdd =
    tempo.every((change) => Math.abs(change.at_s - hereS) > 1e-6) && hereS > (tempo[0]?.at_s ?? 0);
  return (
    <>
      <chakra.div
        role="group"
        aria-label="Tempos"
        display="grid"
        gridTemplateColumns="auto auto auto auto 1fr"
        columnGap="12px"
        rowGap="4px"
        alignItems="center"
        maxHeight="180px"
        overflowY="auto"
      >
        {tempo.map((change, index) => (
          <chakra.div key={index} display="contents">
            {index === 0 ? (
              <span>
                bar 1 at{" "}
                <ValueField
                  label="Where the song begins, in seconds"
                  value={change.at_s}
                  minimum={0}
                  maximum={(tempo[1]?.at_s ?? 3600) - 0.001}
                  fallback={0}
                  step={0.01}
                  width="44px"
                  align="left"
                  format={(value) => formatNumber(value ?? 0, 3)}
                  onPreview={() => undefined}
                  onCommit={(value) => onCommit(changed(0, { at_s: value ?? 0 }), true)}
                  onCancel={onCancel}
                />{" "}
                s
              </span>
            ) : (
              <span>
                from bar{" "}
                <ValueField
                  label={`Bar that tempo ${index + 1} begins at`}
                  value={Math.round(1000 * barsAt(grid, change.at_s)) / 1000 + 1}
                  minimum={1}
                  maximum={9999}
                  fallback={Math.round(barsAt(grid, change.at_s)) + 1}
                  step={1}
                  width="30px"
                  align="left"
                  format={(value) => String(Math.round(100 * (value ?? 1)) / 100)}
                  onPreview={() => undefined}
                  onCommit={(value) =>
                    onCommit(
                      changed(index, { at_s: timeOfBars(grid, Math.round((value ?? 1) - 1)) }).sort(
                        (one, other) => one.at_s - other.at_s,
                      ),
                    )
                  }
                  onCancel={onCancel}
                />{" "}
                <chakra.span color="quiet" textStyle="number">
                  {formatTime(change.at_s)}
                </chakra.span>
              </span>
            )}
            <span>
              <Choice
                label={index ? `Note that tempo ${index + 1} counts` : "Note that counts"}
                value={change.beat}
                options={[...new Set([...BEATS, change.beat])].map((value) => ({
                  value,
                  label: noteSign(value),
                }))}
                onChange={(beat) => onCommit(changed(index, { beat }))}
              />{" "}
              ={" "}
              <ValueField
                label={index ? `Tempo ${index + 1} in beats a minute` : "Tempo in beats a minute"}
                value={change.bpm}
                {...limitsOf("tempo", "bpm")}
                step={0.5}
                width="44px"
                align="left"
                emphasis
                format={(bpm) => String(Math.round(100 * (bpm ?? 0)) / 100)}
                onPreview={(bpm) => onPreview(changed(index, { bpm: bpm ?? change.bpm }))}
                onCommit={(bpm) => onCommit(changed(index, { bpm: bpm ?? change.bpm }))}
                onCancel={onCancel}
              />
            </span>
            <Choice
              label={index ? `Metre of tempo ${index + 1}` : "Metre"}
              value={change.metre}
              options={[...new Set([...METRES, change.metre])].map((value) => ({ value, label: value }))}
              onChange={(metre) => onCommit(changed(index, { metre }))}
            />
            {index === 0 ? (
              <span />
            ) : (
              <SignButton
                label={`No other tempo from bar ${barAndBeat(grid, change.at_s)} on`}
                onClick={() => onCommit(tempo.filter((_, place) => place !== index))}
              />
            )}
            <span />
          </chakra.div>
        ))}
      </chakra.div>
      <chakra.div display="flex" gap="8px" marginTop="6px">
        <PlainButton height="target" disabled={!canAdd} onClick={add}>
          another tempo from bar {Math.round(barsAt(grid, hereS)) + 1} on
        </PlainButton>
        <PlainButton
          height="target"
          title="Bars are counted from the playhead"
          onClick={() => onCommit(begunAt(tempo, live.positionS()), true)}
        >
          the song begins at {formatTime(live.positionS(), 2)}
        </PlainButton>
      </chakra.div>
    </>
  );
}

/** The first bar begins elsewhere; what changes the tempo before that is gone. */
export function begunAt(tempo: Tempo[], atS: number): Tempo[] {
  const inForce = tempo.findLast((change) => change.at_s <= atS) ?? tempo[0];
  return inForce ? [{ ...inForce, at_s: atS }, ...tempo.filter((change) => change.at_s > atS)] : tempo;
}
