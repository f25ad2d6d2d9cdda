import { chakra } from "@chakra-ui/react";
import { useMemo, useState } from "react";

import { useProcessors } from "../../api/queries";
import type { Processor } from "../../api/types";
import { useMeasured } from "../../app/measurement";
import { useOpen } from "../../app/SessionContext";
import { focusStrip, useView } from "../../app/store";
import { Segments } from "../../controls/Segments";
import { formatDb } from "../../lib/format";
import { size, type ColorName } from "../../theme/tokens";
import { FoldMark } from "./FolderRow";
import { cellsOf, columnsOf, FIGURES, UNITS, type Figure, type LadderCell } from "./ladder";
import type { LevelItem } from "./model";
import { StripMark } from "./Row";

const NEAR_DB = 4;
const BAR_PER_DB_PX = 0.9;
const MOST_BAR_PX = 14;

/** The gain ladder: strips by stages, each with its measured level and how far from the reference it is. */
export function LadderFace({ items }: { items: LevelItem[] }) {
  const { state } = useOpen();
  const { measured, progress } = useMeasured();
  const { data: kinds } = useProcessors();
  const [figure, setFigure] = useState<Figure>("peak");
  const [sorted, setSorted] = useState<string | null>(null);
  const strips = state.document.strips;
  const columns = useMemo(() => columnsOf(strips), [strips]);
  const rows = useMemo(() => {
    const labelOf = (processor: Processor) =>
      processor.type === "parallel"
        ? "Lanes"
        : (kinds?.find((kind) => kind.kind === processor.type)?.label ?? "");
    const all = items.map((item) => ({
      item,
      cells:
        item.strip && measured
          ? cellsOf(item.strip, measured, figure, labelOf)
          : new Map<string, LadderCell>(),
    }));
    if (!sorted) return all;
    return all
      .filter(({ item }) => item.strip)
      .sort((a, b) => (b.cells.get(sorted)?.value ?? -999) - (a.cells.get(sorted)?.value ?? -999));
  }, [items, measured, figure, sorted, kinds]);
  const template = `minmax(190px, 1.6fr) repeat(${columns.length}, minmax(82px, 1fr))`;
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
        <chakra.span color="quiet">
          {UNITS[figure]} · bars: distance from −18 dBFS
          {progress !== null && ` · measuring ${Math.round(100 * progress)} %`}
        </chakra.span>
      </chakra.div>
      <chakra.div
        display="grid"
        gridTemplateColumns={template}
        height="25px"
        alignItems="center"
        paddingLeft="12px"
        color="quiet"
        borderBottom="1px solid"
        borderColor="ink"
      >
        <chakra.button
          type="button"
          textAlign="left"
          height="target"
          cursor="pointer"
          onClick={() => setSorted(null)}
        >
          strip{sorted ? " (as in the session)" : ""}
        </chakra.button>
        {columns.map((column) => (
          <chakra.button
            key={column.key}
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
        ))}
      </chakra.div>
      <chakra.div flex="1" overflowY="auto" overflowX="hidden" role="table" aria-label="Gain ladder">
        {rows.map(({ item, cells }) => (
          <LadderRow
            key={item.key}
            item={item}
            cells={cells}
            columns={columns}
            template={template}
            flat={sorted !== null}
          />
        ))}
      </chakra.div>
    </>
  );
}

type LadderRowProps = {
  item: LevelItem;
  cells: Map<string, LadderCell>;
  columns: { key: string; name: string }[];
  template: string;
  flat: boolean;
};

function LadderRow({ item, cells, columns, template, flat }: LadderRowProps) {
  const { live } = useOpen();
  const focused = useView((view) => view.focused === item.strip?.id);
  const strip = item.strip;
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
      aria-label={item.folder?.name ?? strip?.name}
      display="grid"
      gridTemplateColumns={template}
      alignItems="center"
      height={`${size.rowPx}px`}
      paddingLeft="12px"
      borderBottom="1px solid"
      borderColor="rule"
      borderTop={strip?.kind === "mix" ? "1px solid" : "none"}
      bg={focused ? "wash" : "transparent"}
    >
      <chakra.span
        display="flex"
        alignItems="center"
        gap="6px"
        overflow="hidden"
        style={{ paddingLeft: flat ? 0 : `${14 * item.depth}px` }}
      >
        {item.folder && !flat && <FoldMark folder={item.folder.id} name={item.folder.name} />}
        {strip && (
          <StripMark
            color={strip.kind === "mix" ? "currentColor" : strip.color}
            cuts={item.cuts}
            wide={strip.kind !== "track"}
          />
        )}
        <chakra.button
          type="button"
          height="target"
          cursor="pointer"
          overflow="hidden"
          textOverflow="ellipsis"
          whiteSpace="nowrap"
          fontWeight={strip?.kind !== "track" || focused ? "700" : "400"}
          onClick={() => strip && focusStrip(strip.id)}
        >
          {item.folder?.name ?? strip?.name}
        </chakra.button>
      </chakra.span>
      {columns.map((column) => {
        const cell = cells.get(column.key);
        return cell ? (
          <Cell key={column.key} cell={cell} onJump={() => jump(cell)} />
        ) : (
          <Gap key={column.key} />
        );
      })}
    </chakra.div>
  );
}

function toneOf(cell: LadderCell): ColorName {
  if (cell.clips || (cell.value ?? -1) > 0) return "over";
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
      title={`${words}: go to its loudest moment`}
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
