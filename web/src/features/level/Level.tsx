import { chakra } from "@chakra-ui/react";
import { useMemo, useRef, useState } from "react";

import { makeBus } from "../../app/commands";
import { useOpen } from "../../app/SessionContext";
import { STAGES, useView } from "../../app/store";
import { SCALE_MARKS_DB, levelToPx } from "../../canvas/scale";
import { PlainButton } from "../../controls/PlainButton";
import { Segments } from "../../controls/Segments";
import { FADER_PX, COLUMNS, METER_PX } from "./columns";
import { faderShare } from "../../controls/Fader";
import { IncomingFiles } from "./IncomingFiles";
import { keyCounts, treeOf } from "./model";
import { MeterCanvas, type MeterCells } from "./MeterCanvas";
import { Row } from "./Row";
import { useImport } from "./useImport";

/** One row per strip. */
export function Level() {
  const open = useOpen();
  const strips = open.state.document.strips;
  const stage = useView((view) => view.stage);
  const focused = useView((view) => view.focused);
  const selected = useView((view) => view.selected);
  const tree = useMemo(() => treeOf(strips), [strips]);
  const keys = useMemo(() => keyCounts(strips), [strips]);
  const order = useMemo(() => tree.map((item) => item.strip.id), [tree]);
  const outputs = useMemo(
    () => strips.filter((strip) => strip.kind !== "track" && strip.kind !== "ghost"),
    [strips],
  );

  // Cells the meters write into, by strip: filled by the rows, read by the canvas, never rendered.
  const [cells] = useState<MeterCells>(() => ({ peaks: new Map(), reductions: new Map() }));

  return (
    <chakra.div height="100%" display="flex" flexDirection="column">
      <chakra.div
        display="flex"
        alignItems="center"
        gap="8px"
        padding="0 12px"
        height="33px"
        borderBottom="1px solid"
        borderColor="rule"
      >
        <chakra.span color="quiet">read</chakra.span>
        <Segments
          label="Meters read"
          options={STAGES}
          value={stage}
          onChange={(value) => useView.setState({ stage: value })}
        />
        <chakra.span color="quiet">peak and RMS, dBFS</chakra.span>
        <chakra.div flex="1" />
        <PlainButton onClick={() => void makeBus(open)}>
          {selected.size > 1 ? `New bus of ${selected.size}…` : "New bus…"}
        </PlainButton>
        <FilePicker />
      </chakra.div>
      <IncomingFiles />
      <Heads />
      <chakra.div
        flex="1"
        overflowY="auto"
        overflowX="hidden"
        position="relative"
        role="table"
        aria-label="Strips"
      >
        {tree.map((item) => (
          <Row
            key={item.strip.id}
            item={item}
            outputs={outputs}
            nKeys={keys.get(item.strip.id) ?? 0}
            focused={item.strip.id === focused}
            selected={selected.has(item.strip.id) && selected.size > 1}
            cells={cells}
          />
        ))}
        <MeterCanvas order={order} tree={tree} cells={cells} />
        {strips.length === 1 && (
          <chakra.p color="quiet" padding="24px">
            Drop audio files anywhere, or choose them with “Add files…”: each becomes a track that plays into
            the mix.
          </chakra.p>
        )}
      </chakra.div>
    </chakra.div>
  );
}

function FilePicker() {
  const { bringIn } = useImport();
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        accept=".wav,.flac,.aif,.aiff,.ogg,audio/*"
        aria-label="Audio files"
        onChange={(event) => {
          void bringIn([...(event.target.files ?? [])]);
          event.target.value = "";
        }}
      />
      <PlainButton onClick={() => input.current?.click()}>Add files…</PlainButton>
    </>
  );
}

function Heads() {
  return (
    <chakra.div
      display="grid"
      gridTemplateColumns={COLUMNS}
      alignItems="center"
      height="25px"
      padding="0 8px 0 12px"
      color="quiet"
      borderBottom="1px solid"
      borderColor="ink"
    >
      <span>strip</span>
      <chakra.span textAlign="right" paddingRight="8px">
        trim
      </chakra.span>
      <chakra.span position="relative" height="16px" textStyle="number" fontSize="small">
        {SCALE_MARKS_DB.map((mark) => (
          <chakra.span
            key={mark}
            position="absolute"
            transform={mark === -42 ? "none" : "translateX(-50%)"}
            color={mark === 0 ? "over" : mark === -18 ? "ink" : "quiet"}
            fontWeight={mark === -18 ? "700" : "400"}
            style={{ left: `${levelToPx(mark, METER_PX)}px` }}
          >
            {mark < 0 ? `−${-mark}` : mark}
          </chakra.span>
        ))}
      </chakra.span>
      <chakra.span textAlign="right">peak</chakra.span>
      <span />
      <chakra.span position="relative" height="16px" textStyle="number" fontSize="small">
        {[-12, 0, 12].map((mark) => (
          <chakra.span
            key={mark}
            position="absolute"
            transform="translateX(-50%)"
            fontWeight={mark === 0 ? "700" : "400"}
            color={mark === 0 ? "ink" : "quiet"}
            style={{ left: `${faderShare(mark) * FADER_PX}px` }}
          >
            {mark < 0 ? `−${-mark}` : mark}
          </chakra.span>
        ))}
      </chakra.span>
      <chakra.span textAlign="right">fader</chakra.span>
      <chakra.span textAlign="center">pan</chakra.span>
      <chakra.span textAlign="center">reduction</chakra.span>
      <span />
      <span>plays to</span>
      <chakra.span textAlign="right">ways</chakra.span>
    </chakra.div>
  );
}
