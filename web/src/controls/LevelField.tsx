import { formatDb } from "../lib/format";
import { ValueField, type ValueFieldProps } from "./ValueField";

type LevelFieldProps = Pick<
  ValueFieldProps,
  "label" | "value" | "width" | "align" | "emphasis" | "onPreview" | "onCommit" | "onCancel"
> & { minimum?: number; maximum?: number };

/** A level in dB that goes down to silence. */
export function LevelField({ minimum = -120, maximum = 24, ...props }: LevelFieldProps) {
  return (
    <ValueField
      minimum={minimum}
      maximum={maximum}
      fallback={0}
      step={0.5}
      unit="dB"
      nullAt="bottom"
      format={formatDb}
      {...props}
    />
  );
}
