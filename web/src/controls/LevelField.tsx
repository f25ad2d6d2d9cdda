import { limitsOf } from "../api/parameters";
import { formatDb } from "../lib/format";
import { ValueField, type ValueFieldProps } from "./ValueField";

type LevelFieldProps = Pick<
  ValueFieldProps,
  "label" | "address" | "value" | "width" | "align" | "emphasis" | "onPreview" | "onCommit" | "onCancel"
> & { minimum?: number; maximum?: number };

/** A level in dB that goes down to silence. */
export function LevelField(props: LevelFieldProps) {
  return (
    <ValueField {...limitsOf("strip", "fader_db")} step={0.5} nullAt="bottom" format={formatDb} {...props} />
  );
}
