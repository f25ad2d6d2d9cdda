import type { Wish } from "../api/types";
import { ValueField, type ValueFieldProps } from "../controls/ValueField";
import { useActing } from "./SessionContext";

type WishFieldProps = Omit<ValueFieldProps, "onPreview" | "onCommit" | "onCancel"> & {
  /** The edit that gives it a value. */
  wish: (value: number | null) => Wish;
};

/** A number of the session: heard while it is moved, one edit once it is let go of. */
export function WishField({ wish, ...props }: WishFieldProps) {
  const { live, edit } = useActing();
  return (
    <ValueField
      {...props}
      onPreview={(value) => live.preview(wish(value))}
      onCommit={(value) => void edit(wish(value))}
      onCancel={() => live.revert()}
    />
  );
}
