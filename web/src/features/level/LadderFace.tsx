import { chakra } from "@chakra-ui/react";
import { Fragment, useMemo, useState, type ReactNode } from "react";

import { useProcessorLabel } from "../../api/queries";
import type { Strip } from "../../api/types";
import { progressWords, useMeasured } from "../../app/measurement";
import { useActing, useOpen } from "../../app/SessionContext";
import { focusStrip, useView } from "../../app/store";
import { MovesMark } from "../../controls/MovesMark";
import { Segments } from "../../controls/Segments";
import { formatDb } from "../../lib/format";
import { size, type ColorName } from "../../theme/tokens";
import { FoldMark } from "./FolderRow";
import { columnsOf, FIGURES, rungsOf, UNITS, type Cells, type Figure, type LadderCell } from "./ladder";
import type { LevelItem } from "./model";
import { StripMark } from "./Row";
import { VuReference } from "./VuReference";

const NAME_PX = 190;
const CELL_PX = 82;
const NEAR_DB = 4;
const BAR_PER_DB_PX = 0.9;
const MOST_BAR_PX = 14;

/** The gain ladder: strips by stages, each with its measured level and how far from the reference it is. */
export function LadderFace({ items }: { items: LevelItem[] }) {
  const { state } = useOpen();
  const following = useMeasured();
  const { measured, current } = following;
  const labelOf = useProcessorLabel();
  const [figure, setFigure] = useState<Figure>("peak");
  const [sorted, setSorted] = useState<string | null>(null);
  const { strips, vu_reference_dbfs: vuReferenceDbfs } = state.document;
  const columns = useMemo(() => columnsOf(strips), [strips]);
  const rows = useMemo(() => {
    const reading = { figure, vuReferenceDbfs, labelOf };
    const all = items.map((item) => ({
      item,
      ...(item.strip && measured
        ? rungsOf(item.strip, measured, reading)
        : { cells: new Map<string, LadderCell>(), lanes: [] }),
    }));
    if (!sorted) return all;
    return all
      .filter(({ item }) => item.strip)
      .sort((a, b) => (b.cells.get(sorted)?.value ?? -999) - (a.cells.get(sorted)?.value ?? -999));
  }, [items, measured, figure, vuReferenceDbfs, sorted, labelOf]);
  const template = `minmax(${NAME_PX}px, 1.6fr) repeat(${columns.length}, minmax(${CELL_PX}px, 1fr))`;
  return (
    <>
      <chakra.div
        display="flex"
        alignItems="center"
        gap="8px"
        padding="0 12px"
        height="33px"
        borderBottom="1px solid"
        borderColor="rule"
      >
        <chakra.span color="quiet">shows</chakra.span>
        <Segments label="Figure" options={FIGURES} value={figure} onChange={setFigure} />
        {figure === "VU" ? <VuReference /> : <chakra.span color="quiet">{UNITS[figure]}</chakra.span>}
        <chakra.span color="quiet">
          · bars: distance from {figure === "VU" ? "0 VU" : "−18 dBFS"}
          {!current && ` · ${progressWords(following)}`}
        </chakra.span>
      </chakra.div>
      <chakra.div flex="1" overflow="auto" role="table" aria-label="Gain ladder">
        <chakra.div style={{ minWidth: `${NAME_PX + CELL_PX * columns.length + 12}px` }}>
          <chakra.div
            role="row"
            aria-label="Stages"
            display="grid"
            gridTemplateColumns={template}
            height="25px"
            alignItems="center"
            paddingLeft="12px"
            color="quiet"
            borderBottom="1px solid"
            borderColor="ink"
            position="sticky"
            top="0"
            zIndex="2"
            bg="sheet"
          >
            <span role="columnheader">
              <chakra.button
                type="button"
                textAlign="left"
                height="target"
                cursor="pointer"
                onClick={() => setSorted(null)}
              >
                strip{sorted ? " (as in the session)" : ""}
              </chakra.button>
            </span>
            {columns.map((column) => (
              <chakra.span role="columnheader" textAlign="right" key={column.key}>
                <chakra.button
                  type="button"
                  height="target"
                  textAlign="right"
                  paddingRight="22px"
                  cursor="pointer"
                  fontWeight={sorted === column.key || column.key === "pre-fader" ? "700" : "400"}
                  color={sorted === column.key || column.key === "pre-fader" ? "ink" : "quiet"}
                  title="Sort by this stage"
                  onClick={() => setSorted(sorted === column.key ? null : column.key)}
                >
                  {column.name}
                </chakra.button>
              </chakra.span>
            ))}
          </chakra.div>
          {rows.map(({ item, cells, lanes }) => (
            <Fragment key={item.key}>
              <LadderRow
                strip={item.strip}
                name={item.folder?.name ?? item.strip?.name ?? ""}
                cells={cells}
                columns={columns}
                template={template}
                indentPx={sorted ? 0 : 14 * item.depth}
                mark={<Marks item={item} flat={sorted !== null} />}
              />
              {lanes.map((lane) => (
                <LadderRow
                  key={lane.key}
                  strip={item.strip}
                  name={lane.name}
                  cells={lane.cells}
                  columns={columns}
                  template={template}
                  indentPx={14 * (lane.depth + (sorted ? 0 : item.depth)) + 14}
                  lane
                />
              ))}
            </Fragment>
          ))}
        </chakra.div>
      </chakra.div>
    </>
  );
}

/** What stands before a strip's name: its folder's fold, its mark. */
function Marks({ item, flat }: { item: LevelItem; flat: boolean }) {
  const strip = item.strip;
  return (
    <>
      {item.folder && !flat && <FoldMark folder={item.folder.id} name={item.folder.name} />}
      {strip && (
        <StripMark
          color={strip.kind === "mix" ? "currentColor" : strip.color}
          cuts={item.cuts}
          wide={strip.kind !== "track"}
        />
      )}
    </>
  );
}

type LadderRowProps = {
  /** Whose levels these are; null for a folder without a bus. */
  strip: Strip | null;
  name: string;
  cells: Cells;
  columns: { key: string; name: string }[];
  template: string;
  indentPx: number;
  mark?: ReactNode;
  lane?: boolean;
};

function LadderRow({ strip, name, cells, columns, template, indentPx, mark, lane }: LadderRowProps) {
  const { live } = useActing();
  const focused = useView((view) => view.focused === strip?.id) && !lane;
  const jump = (cell: LadderCell) => {
    if (!strip) return;
    focusStrip(strip.id);
    if (cell.atS !== null) live.seek(cell.atS);
    if (cell.processor) {
      useView.setState((view) => ({ sheetFolded: { ...view.sheetFolded, Level: false } }));
      requestAnimationFrame(() =>
        document.querySelector(`[data-processor="${cell.processor}"]`)?.scrollIntoView({ block: "center" }),
      );
    }
  };
  return (
    <chakra.div
      role="row"
      aria-label={lane ? `${name}, lane of ${strip?.name}` : name}
      display="grid"
      gridTemplateColumns={template}
      alignItems="center"
      height={`${size.rowPx}px`}
      paddingLeft="12px"
      borderBottom="1px solid"
      borderColor="rule"
      borderTop={strip?.kind === "mix" && !lane ? "1px solid" : "none"}
      bg={focused ? "wash" : "transparent"}
    >
      <chakra.span
        role="cell"
        display="flex"
        alignItems="center"
        gap="6px"
        overflow="hidden"
        style={{ paddingLeft: `${indentPx}px` }}
      >
        {mark}
        <chakra.button
          type="button"
          height="target"
          cursor="pointer"
          overflow="hidden"
          textOverflow="ellipsis"
          whiteSpace="nowrap"
          color={lane ? "quiet" : "ink"}
          fontWeight={!lane && (strip?.kind !== "track" || focused) ? "700" : "400"}
          onClick={() => strip && focusStrip(strip.id)}
        >
          {name}
        </chakra.button>
        {strip && !lane && (
          <MovesMark
            name={strip.name}
            prefix={`strips/${strip.id}/`}
            onOpen={() => useView.setState({ movesOpen: true })}
          />
        )}
      </chakra.span>
      {columns.map((column) => {
        const cell = cells.get(column.key);
        if (cell)
          return (
            <chakra.div role="cell" key={column.key}>
              <Cell cell={cell} onJump={() => jump(cell)} />
            </chakra.div>
          );
        return lane ? <span key={column.key} /> : <Gap key={column.key} />;
      })}
    </chakra.div>
  );
}

function toneOf(cell: LadderCell): ColorName {
  if (cell.over) return "over";
  if (!cell.judged || cell.away === null) return "ink";
  if (cell.away > NEAR_DB) return "hotText";
  return cell.away < -NEAR_DB ? "underText" : "atText";
}

function Cell({ cell, onJump }: { cell: LadderCell; onJump: () => void }) {
  const tone = toneOf(cell);
  const bar = Math.min(MOST_BAR_PX, Math.max(3, Math.abs(cell.away ?? 0) * BAR_PER_DB_PX));
  const words = cell.label ? `after ${cell.label}` : cell.key;
  return (
    <chakra.button
      type="button"
      title={`${words}:\n${cell.words}\nClick to go to its loudest moment.`}
      data-cell={cell.key}
      data-clips={cell.clips || undefined}
      display="flex"
      alignItems="center"
      height="target"
      cursor="pointer"
      border="1px solid"
      borderColor={cell.clips ? "over" : "transparent"}
      borderRadius="small"
      fontSize="small"
      onClick={onJump}
    >
      <chakra.span
        flex="1"
        minWidth="0"
        textAlign="left"
        paddingX="4px"
        color="quiet"
        overflow="hidden"
        textOverflow="ellipsis"
        whiteSpace="nowrap"
      >
        {cell.label}
      </chakra.span>
      {cell.clips && (
        <chakra.span color="over" aria-label="clipping begins here">
          ⚠
        </chakra.span>
      )}
      <chakra.span
        textStyle="number"
        color={tone}
        fontWeight={cell.key === "pre-fader" || cell.clips ? "700" : "400"}
      >
        {formatDb(cell.value)}
      </chakra.span>
      <chakra.span position="relative" width="18px" height="14px" marginLeft="4px" flexShrink="0">
        <chakra.span position="absolute" left="2px" width="1px" height="100%" bg="rule" />
        {cell.away !== null && (
          <chakra.span
            position="absolute"
            top="5px"
            height="5px"
            bg={tone}
            opacity={0.7}
            style={{ left: "2px", width: `${bar}px` }}
          />
        )}
      </chakra.span>
    </chakra.button>
  );
}

function Gap() {
  return (
    <chakra.span display="flex" justifyContent="flex-end" paddingRight="22px">
      <chakra.span width="24px" height="1px" bg="rule" />
    </chakra.span>
  );
}
