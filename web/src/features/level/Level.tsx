import { chakra } from "@chakra-ui/react";
import { useMemo, useRef, useState } from "react";

import type { Strip } from "../../api/types";
import { makeBus, makeGroup } from "../../app/commands";
import { useOpen } from "../../app/SessionContext";
import { LEVEL_FACES, showLevelFace, useView } from "../../app/store";
import { visibleRows } from "../../app/tree";
import { SCALE_MARKS_DB, levelToPx } from "../../canvas/scale";
import { PlainButton } from "../../controls/PlainButton";
import { Segments } from "../../controls/Segments";
import { useShared } from "../../lib/useShared";
import { useWidth } from "../../lib/useWidth";
import { STAGES } from "../../live/frames";
import { columnsFor, type Columns } from "./columns";
import { faderShare } from "../../lib/faderScale";
import { FilePicker } from "./FilePicker";
import { FolderRow } from "./FolderRow";
import { Groups } from "./Groups";
import { IncomingFiles } from "./IncomingFiles";
import { LadderFace } from "./LadderFace";
import { itemsOf, keyCounts, type LevelItem } from "./model";
import { MeterCanvas, type MeterCells } from "./MeterCanvas";
import { Row, type Output } from "./Row";

/** Where the focus sheet leaves little room, buttons keep their words and words beside them go. */
const NARROW = {
  "@container (max-width: 800px)": {
    "& [data-spare]": { display: "none" },
    "& button": { paddingInline: "6px" },
  },
};

/** Every strip in a row: what it does and how loud it is, or how its level came about. */
export function Level() {
  const open = useOpen();
  const { document, tree } = open.state;
  const stage = useView((view) => view.stage);
  const face = useView((view) => view.levelFace);
  const selected = useView((view) => view.selected);
  const folded = useView((view) => view.foldedFolders);
  // A ghost has no level: it is shown where it is made, and where it triggers.
  const heard = itemsOf(visibleRows(tree, folded), open.strips, document.folders).filter(
    (item) => item.strip?.kind !== "ghost",
  );
  const items = useShared(heard);
  return (
    <chakra.div height="100%" display="flex" flexDirection="column" css={{ containerType: "inline-size" }}>
      <chakra.div
        display="flex"
        alignItems="center"
        gap="8px"
        padding="0 12px"
        height="33px"
        borderBottom="1px solid"
        borderColor="rule"
        css={NARROW}
      >
        <Segments label="Face" options={LEVEL_FACES} value={face} onChange={showLevelFace} />
        {face === "rows" && (
          <>
            <chakra.span color="quiet" data-spare>
              read
            </chakra.span>
            <Segments
              label="Meters read"
              options={STAGES}
              value={stage}
              onChange={(value) => useView.setState({ stage: value })}
            />
          </>
        )}
        <chakra.div flex="1" />
        <PlainButton onClick={() => useView.setState({ dialog: "reference" })}>Reference…</PlainButton>
        <PlainButton onClick={() => void makeGroup(open)} disabled={selected.size < 2}>
          Group…
        </PlainButton>
        <PlainButton onClick={() => void makeBus(open)}>
          {selected.size > 1 ? `New bus of ${selected.size}…` : "New bus…"}
        </PlainButton>
        <FilePicker />
      </chakra.div>
      <IncomingFiles />
      {face === "gain ladder" ? <LadderFace items={items} /> : <Rows items={items} />}
    </chakra.div>
  );
}

/** One row per strip, folders over what they hold, control groups at the end. */
function Rows({ items }: { items: LevelItem[] }) {
  const { strips } = useOpen().state.document;
  const focused = useView((view) => view.focused);
  const selected = useView((view) => view.selected);
  const keys = useMemo(() => keyCounts(strips), [strips]);
  const outputs = useShared(outputsOf(strips));

  const area = useRef<HTMLDivElement>(null);
  const widthPx = useWidth(area);
  const columns = useMemo(() => columnsFor(widthPx), [widthPx]);

  // Cells the meters write into, by strip: filled by the rows, read by the canvas, never rendered.
  const [cells] = useState<MeterCells>(() => ({ peaks: new Map(), reductions: new Map() }));

  return (
    <>
      <Heads columns={columns} />
      <chakra.div ref={area} flex="1" overflowY="auto" overflowX="hidden" position="relative">
        <div role="table" aria-label="Strips">
          {items.map((item) =>
            item.strip ? (
              <Row
                key={item.key}
                item={item}
                strip={item.strip}
                outputs={outputs}
                nKeys={keys.get(item.strip.id) ?? 0}
                focused={item.strip.id === focused}
                selected={selected.has(item.strip.id) && selected.size > 1}
                cells={cells}
                columns={columns}
              />
            ) : (
              <FolderRow key={item.key} item={item} />
            ),
          )}
        </div>
        <MeterCanvas items={items} cells={cells} columns={columns} />
        <Groups faderPx={columns.faderPx} />
        {strips.length === 1 && (
          <chakra.p color="quiet" padding="24px">
            Drop audio files anywhere, or choose them with “Add files…”: each becomes a track that plays into
            the mix.
          </chakra.p>
        )}
      </chakra.div>
    </>
  );
}

function outputsOf(strips: Strip[]): Output[] {
  return strips
    .filter((strip) => strip.kind !== "track" && strip.kind !== "ghost")
    .map(({ id, name, kind }) => ({ id, name, kind }));
}

function Heads({ columns }: { columns: Columns }) {
  return (
    <chakra.div
      display="grid"
      gridTemplateColumns={columns.template}
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
            style={{ left: `${levelToPx(mark, columns.meterPx)}px` }}
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
            style={{ left: `${faderShare(mark) * columns.faderPx}px` }}
          >
            {mark < 0 ? `−${-mark}` : mark}
          </chakra.span>
        ))}
      </chakra.span>
      <chakra.span textAlign="right">fader</chakra.span>
      <chakra.span textAlign="center">pan</chakra.span>
      {columns.showsReduction && <chakra.span textAlign="center">reduction</chakra.span>}
      <span />
      <span>plays to</span>
      {columns.showsWays && <chakra.span textAlign="right">ways</chakra.span>}
    </chakra.div>
  );
}
