import { chakra } from "@chakra-ui/react";

import { useOpen } from "../../app/SessionContext";
import { ValueField } from "../../controls/ValueField";
import { formatNumber } from "../../lib/format";

const USUAL_DBFS = -18;

/** Where the session's VU reads 0. */
export function VuReference() {
  const { state, edit } = useOpen();
  return (
    <chakra.span color="quiet" whiteSpace="nowrap">
      0 VU at{" "}
      <ValueField
        label="0 VU"
        value={state.document.vu_reference_dbfs}
        minimum={-40}
        maximum={0}
        fallback={USUAL_DBFS}
        step={1}
        unit="dBFS"
        format={(value) => formatNumber(value ?? USUAL_DBFS, 1)}
        onPreview={() => undefined}
        onCommit={(value) => void edit({ type: "set-song", vu_reference_dbfs: value })}
        onCancel={() => undefined}
      />{" "}
      dBFS
    </chakra.span>
  );
}
