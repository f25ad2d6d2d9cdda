import { chakra } from "@chakra-ui/react";

import { useProcessors } from "../../api/queries";
import type { Wish } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import { Choice } from "../../controls/Choice";
import { LetterToggle } from "../../controls/LetterToggle";
import { ValueField } from "../../controls/ValueField";
import { formatHz, formatNumber } from "../../lib/format";
import { rangeOf, SHOWN, tableOf, type Range, type Shown } from "./parameters";

type Values = Record<string, number | string | boolean | null | undefined>;

type ParametersProps = {
  kind: string;
  params: Values;
  action: (values: object) => Wish;
  /** Shown instead of a number that something else decides. */
  instead?: Record<string, string>;
};

/** A processor's parameters in two columns, each with its range from the server's table. */
export function Parameters({ kind, params, action, instead }: ParametersProps) {
  const { data: kinds } = useProcessors();
  const table = tableOf(kinds, kind);
  if (!table) return null;
  return (
    <chakra.div
      display="grid"
      gridTemplateColumns="repeat(auto-fill, minmax(100px, 1fr))"
      columnGap="8px"
      fontSize="small"
    >
      {(SHOWN[kind] ?? []).map((shown) => (
        <chakra.label
          key={shown.name}
          display="flex"
          justifyContent="space-between"
          alignItems="center"
          gap="6px"
          height="22px"
          whiteSpace="nowrap"
        >
          <chakra.span color="quiet">{shown.label}</chakra.span>
          {instead?.[shown.name] !== undefined ? (
            <chakra.span textStyle="number">{instead[shown.name]}</chakra.span>
          ) : (
            <Parameter
              shown={shown}
              range={rangeOf(table, shown.name)}
              value={params[shown.name] ?? null}
              set={(value) => action({ params: { [shown.name]: value } })}
            />
          )}
        </chakra.label>
      ))}
    </chakra.div>
  );
}

type ParameterProps = {
  shown: Shown;
  range: Range;
  value: number | string | boolean | null;
  set: (value: number | string | boolean | null) => Wish;
};

function Parameter({ shown, range, value, set }: ParameterProps) {
  const { live, edit } = useActing();
  if (shown.kind === "switch") {
    return (
      <LetterToggle
        letter={value ? "on" : "off"}
        label={shown.label}
        tone="focus"
        on={Boolean(value)}
        onToggle={() => void edit(set(!value))}
      />
    );
  }
  if (shown.kind === "choice") {
    return (
      <Choice
        label={shown.label}
        value={String(value ?? "")}
        width="92px"
        options={shown.options}
        onChange={(chosen) => void edit(set(chosen || null))}
      />
    );
  }
  const hertz = range.unit === "Hz";
  return (
    <span>
      <ValueField
        label={shown.label}
        value={typeof value === "number" ? value : null}
        minimum={range.minimum}
        maximum={range.maximum}
        fallback={range.fallback}
        step={range.logarithmic ? 0.02 : range.maximum <= 2 ? 0.02 : 0.5}
        logarithmic={range.logarithmic}
        nullAt={range.nullable ? shown.noneAt : undefined}
        unit={range.unit}
        format={(number) =>
          number === null
            ? (shown.none ?? "none")
            : hertz
              ? formatHz(number)
              : formatNumber(number, shown.decimals)
        }
        onPreview={(number) => live.preview(set(number))}
        onCommit={(number) => void edit(set(number))}
        onCancel={() => live.revert()}
      />{" "}
      <chakra.span color="quiet">{range.unit === ":1" ? ": 1" : range.unit}</chakra.span>
    </span>
  );
}
