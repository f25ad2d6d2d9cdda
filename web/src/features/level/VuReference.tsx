import { chakra } from "@chakra-ui/react";

import { limitsOf } from "../../api/parameters";
import { useOpen } from "../../app/SessionContext";
import { ValueField } from "../../controls/ValueField";
import { formatNumber } from "../../lib/format";

/** Where the session's VU reads 0. */
export function VuReference() {
  const { state, edit } = useOpen();
  return (
    <chakra.span color="quiet" whiteSpace="nowrap">
      0 VU at{" "}
      <ValueField
        label="0 VU"
        value={state.document.vu_reference_dbfs}
        {...limitsOf("session", "vu_reference_dbfs")}
        step={1}
        format={(value) => formatNumber(value ?? 0, 1)}
        onPreview={() => undefined}
        onCommit={(value) => void edit({ type: "set-song", vu_reference_dbfs: value })}
        onCancel={() => undefined}
      />{" "}
      dBFS
    </chakra.span>
  );
}
