import { chakra } from "@chakra-ui/react";

import { isPart, limitsOf, noneOf, type Part } from "../../api/parameters";
import type { ProcessorValues, Wish } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import { Choice } from "../../controls/Choice";
import { LetterToggle } from "../../controls/LetterToggle";
import { ValueField } from "../../controls/ValueField";
import { formatHz, formatNumber } from "../../lib/format";
import { SHOWN, type Shown } from "./parameters";

type Values = Record<string, number | string | boolean | null | undefined>;

type ParametersProps = {
  kind: string;
  params: Values;
  action: (values: ProcessorValues) => Wish;
  /** Of the processor. */
  address: string;
  /** Shown instead of a number that something else decides. */
  instead?: Record<string, string>;
};

/** A processor's parameters in two columns, each with its range from the server's table. */
export function Parameters({ kind, params, action, address, instead }: ParametersProps) {
  if (!isPart(kind)) return null;
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
              part={kind}
              address={`${address}/${shown.name}`}
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
  part: Part;
  address: string;
  value: number | string | boolean | null;
  set: (value: number | string | boolean | null) => Wish;
};

function Parameter({ shown, part, address, value, set }: ParameterProps) {
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
  const limits = limitsOf(part, shown.name);
  return (
    <span>
      <ValueField
        label={shown.label}
        address={address}
        value={typeof value === "number" ? value : null}
        {...limits}
        step={limits.logarithmic || limits.maximum <= 2 ? 0.02 : 0.5}
        nullAt={noneOf(part, shown.name) === null ? undefined : shown.noneAt}
        format={(number) =>
          number === null
            ? (shown.none ?? "none")
            : limits.unit === "Hz"
              ? formatHz(number)
              : formatNumber(number, shown.decimals)
        }
        onPreview={(number) => live.preview(set(number))}
        onCommit={(number) => void edit(set(number))}
        onCancel={() => live.revert()}
      />{" "}
      <chakra.span color="quiet">{limits.unit === ":1" ? ": 1" : limits.unit}</chakra.span>
    </span>
  );
}
