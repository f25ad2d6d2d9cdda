import { chakra } from "@chakra-ui/react";

import { useProcessorLabel } from "../../api/queries";
import type { Print, PrintChoices } from "../../api/types";
import { useOpen, useTransport } from "../../app/SessionContext";
import { Choice } from "../../controls/Choice";
import { barRange } from "../../lib/beatGrid";
import {
  backOf,
  backOptions,
  CHANNELS,
  ENDS,
  endsOf,
  stretchOptions,
  whatOptions,
  whereOptions,
  goingBack,
  endingSo,
  overStretch,
  ofWhat,
  fromWhere,
  type Option,
} from "./prints";

type PrintWordsProps = { print: Print; choices: PrintChoices | undefined };

/** A print as a sentence whose every word can be changed in place. */
export function PrintWords({ print, choices }: PrintWordsProps) {
  const { state, strips, grid, edit } = useOpen();
  const { loopS } = useTransport();
  const labelOf = useProcessorLabel();
  // Only what changes is said: quick changes one after the other leave each other alone.
  const set = (changes: Partial<Print>) =>
    void edit({ type: "set-print", print: { id: print.id, ...changes } });
  const what = whatOptions(print, [...strips.values()]);
  const strip = print.strips.length === 1 ? strips.get(print.strips[0] ?? "") : undefined;
  const where = whereOptions(print, strip, labelOf);
  const stretch = stretchOptions(
    print,
    state.document,
    loopS,
    (stretchS) => `bars ${barRange(grid, stretchS)}`,
  );
  const formats = (choices?.formats ?? []).map(({ format, words }) => ({ value: format, label: words }));
  const of = print.of.map((id) => strips.get(id)?.name ?? id).join(", ");
  return (
    <chakra.span display="inline-flex" alignItems="center" gap="5px" minWidth="0" overflow="hidden">
      <Word label="What" bold value={what.value} options={what.options} set={(value) => set(ofWhat(value))} />
      {of && <chakra.span color="quiet">of {of} only</chakra.span>}
      <Word
        label="From where"
        value={where.value}
        options={where.options}
        set={(value) => set(fromWhere(value))}
      />
      <Dot />
      <Word
        label="Stretch"
        value={stretch.value}
        options={stretch.options}
        set={(value) => set(overStretch(value, loopS))}
      />
      <Word label="End" value={endsOf(print)} options={ENDS} set={(value) => set(endingSo(value))} />
      {print.channels !== "as-is" && (
        <>
          <Dot />
          <Word
            label="Channels"
            value={print.channels}
            options={CHANNELS}
            set={(channels) => set({ channels: channels as Print["channels"] })}
          />
        </>
      )}
      {print.reversed && (
        <>
          <Dot />
          <span>reversed</span>
        </>
      )}
      {!print.moves && (
        <>
          <Dot />
          <span>without moves</span>
        </>
      )}
      <Dot />
      <Word
        label="Format"
        value={print.format}
        options={formats.length ? formats : [{ value: print.format, label: print.format }]}
        set={(format) => set({ format: format as Print["format"] })}
      />
      {print.rate_hz && <chakra.span color="quiet">{print.rate_hz / 1000} kHz</chakra.span>}
      {print.shaped && <chakra.span color="quiet">shaped noise</chakra.span>}
      {print.back !== "no" && (
        <>
          <Dot />
          <Word
            label="Where it goes"
            color="send"
            value={backOf(print)}
            options={backOptions(state.document)}
            set={(value) => set(goingBack(value))}
          />
        </>
      )}
    </chakra.span>
  );
}

function Dot() {
  return <chakra.span color="quiet">·</chakra.span>;
}

type WordProps = {
  label: string;
  value: string;
  options: Option[];
  set: (value: string) => void;
  bold?: boolean;
  color?: string;
};

function Word({ label, value, options, set, bold, color }: WordProps) {
  return (
    <chakra.span
      fontWeight={bold ? "700" : "400"}
      borderBottom="1px solid"
      borderColor="edge"
      flexShrink={bold ? 0 : 1}
      minWidth="0"
    >
      <Choice label={label} value={value} options={options} color={color} onChange={set} />
    </chakra.span>
  );
}
