import { chakra } from "@chakra-ui/react";
import { memo, type MouseEvent } from "react";

import { limitsOf, withinLimits } from "../../api/parameters";
import type { Strip, StripSettings } from "../../api/types";
import { selectedStrips } from "../../app/commands";
import { useActing } from "../../app/SessionContext";
import { endMoving, showMoving, useLevel, type MovingField } from "../../app/moving";
import { pickStrip } from "../../app/selection";
import { useView } from "../../app/store";
import { Choice } from "../../controls/Choice";
import { Fader } from "../../controls/Fader";
import { LetterToggle } from "../../controls/LetterToggle";
import { LevelField } from "../../controls/LevelField";
import { MovesMark } from "../../controls/MovesMark";
import { ValueField } from "../../controls/ValueField";
import { formatNumber } from "../../lib/format";
import { wideLayout } from "../../lib/layouts";
import { size } from "../../theme/tokens";
import type { Columns } from "./columns";
import type { MeterCells } from "./MeterCanvas";
import { FoldMark } from "./FolderRow";
import type { LevelItem } from "./model";
import { PanGlyph } from "./PanGlyph";

/** Where a strip may play to. */
export type Output = Pick<Strip, "id" | "name" | "kind">;

type RowProps = {
  item: LevelItem;
  strip: Strip;
  outputs: Output[];
  nKeys: number;
  focused: boolean;
  selected: boolean;
  cells: MeterCells;
  columns: Columns;
};

/** Keeps a cell in the map while it is mounted. */
function keptIn(map: Map<string, HTMLElement>, id: string) {
  return (element: HTMLElement | null) => {
    if (element) map.set(id, element);
    return () => void map.delete(id);
  };
}

const CONTROLS = "[role=slider], [role=spinbutton], input, select, [aria-pressed]";

/** One strip: name, trim, meter, fader, pan, reduction, mute, solo, output. */
export const Row = memo(function Row(props: RowProps) {
  const { item, strip, outputs, nKeys, focused, selected, cells, columns } = props;
  const { depth, nMembers, cuts, folder } = item;
  const { live, edit, now } = useActing();

  /** What the edit says of every selected strip; levels move by the same amount. */
  const changes = (values: Omit<StripSettings, "strip">, field?: MovingField): StripSettings[] => {
    const others = useView.getState().selected.has(strip.id)
      ? selectedStrips(now()).filter((other) => other.id !== strip.id)
      : [];
    const own = { strip: strip.id, ...values };
    const by = field ? ((values[field] ?? null) as number | null) : null;
    return [
      own,
      ...others.map((other) => {
        if (!field || by === null || strip[field] === null) return { strip: other.id, ...values };
        const from = other[field] ?? limitsOf("strip", field).minimum;
        return { strip: other.id, [field]: withinLimits("strip", field, from + by - (strip[field] ?? 0)) };
      }),
    ];
  };
  const set = (values: Omit<StripSettings, "strip">, field?: MovingField) => ({
    type: "set-strips" as const,
    changes: changes(values, field),
  });
  const faderDb = useLevel("fader_db", strip.id, strip.fader_db);
  const trimDb = useLevel("trim_db", strip.id, strip.trim_db);
  const preview = (field: MovingField) => (value: number | null) => {
    const wish = set({ [field]: value }, field);
    showMoving(field, wish.changes);
    live.preview(wish);
  };
  const commit = (field: MovingField) => (value: number | null) => {
    const wish = set({ [field]: value }, field);
    showMoving(field, wish.changes);
    void edit(wish).then(() => endMoving(field));
  };
  const revert = () => {
    endMoving("fader_db");
    endMoving("trim_db");
    live.revert();
  };

  const onClick = (event: MouseEvent) => pickStrip(now(), strip.id, event);
  /** Working on what all selected strips share leaves them selected. */
  const onControl = (event: MouseEvent) =>
    (event.target as Element).closest(CONTROLS) && useView.getState().selected.has(strip.id)
      ? useView.setState({ focused: strip.id })
      : onClick(event);
  const mono = strip.kind === "bus" && strip.input === "mono-sum" ? "mono " : "";
  const wide = wideLayout(strip);
  const kind = strip.kind === "bus" ? `${mono}bus of ${nMembers}` : strip.kind === "return" ? "return" : "";
  const remark = [kind, strip.kind === "mix" ? null : wide].filter(Boolean).join(" · ");

  return (
    <chakra.div
      role="row"
      aria-label={strip.name}
      aria-selected={focused || selected}
      display="grid"
      gridTemplateColumns={columns.template}
      alignItems="center"
      height={`${size.rowPx}px`}
      padding="0 8px 0 12px"
      borderBottom="1px solid"
      borderTop={strip.kind === "mix" ? "1px solid" : "none"}
      borderColor={strip.kind === "mix" ? "ink" : "rule"}
      bg={focused || selected ? "wash" : "transparent"}
      boxShadow={focused ? "inset 3px 0 0 var(--chakra-colors-focus)" : "none"}
      onClick={onControl}
    >
      <chakra.span
        role="cell"
        display="flex"
        alignItems="center"
        overflow="hidden"
        style={{ paddingLeft: `${14 * depth}px` }}
      >
        {folder && <FoldMark folder={folder.id} name={folder.name} />}
        <chakra.button
          type="button"
          display="flex"
          alignItems="center"
          gap="8px"
          height="target"
          overflow="hidden"
          textAlign="left"
          cursor="pointer"
          onClick={(event) => {
            event.stopPropagation();
            onClick(event);
          }}
        >
          <StripMark
            color={strip.kind === "mix" ? "currentColor" : strip.color}
            cuts={cuts}
            wide={strip.kind !== "track"}
          />
          <chakra.span
            overflow="hidden"
            textOverflow="ellipsis"
            whiteSpace="nowrap"
            fontWeight={strip.kind !== "track" || focused ? "700" : "400"}
          >
            {strip.name}
          </chakra.span>
          {remark && (
            <chakra.span textStyle="small" whiteSpace="nowrap">
              {remark}
            </chakra.span>
          )}
        </chakra.button>
      </chakra.span>
      <chakra.span role="cell" textAlign="right" paddingRight="8px">
        <ValueField
          label={`${strip.name}: trim`}
          address={`strips/${strip.id}/trim_db`}
          value={trimDb}
          {...limitsOf("strip", "trim_db")}
          step={0.5}
          color={trimDb === 0 ? "quiet" : "ink"}
          format={(value) => formatNumber(value ?? 0, 1)}
          onPreview={preview("trim_db")}
          onCommit={commit("trim_db")}
          onCancel={revert}
        />
      </chakra.span>
      <span />
      <chakra.span
        ref={keptIn(cells.peaks, strip.id)}
        role="cell"
        textStyle="number"
        fontWeight="700"
        textAlign="right"
        data-peak={strip.id}
      >
        −∞
      </chakra.span>
      <span />
      <chakra.div role="cell">
        <Fader
          label={`${strip.name}: fader`}
          address={`strips/${strip.id}/fader_db`}
          value={faderDb}
          widthPx={columns.faderPx}
          focused={focused}
          onPreview={preview("fader_db")}
          onCommit={commit("fader_db")}
          onCancel={revert}
        />
      </chakra.div>
      <chakra.span role="cell" textAlign="right">
        <LevelField
          label={`${strip.name}: fader level`}
          address={`strips/${strip.id}/fader_db`}
          value={faderDb}
          emphasis={focused}
          onPreview={preview("fader_db")}
          onCommit={commit("fader_db")}
          onCancel={revert}
        />
      </chakra.span>
      <chakra.div role="cell">
        {wide === null && (
          <PanGlyph
            strip={strip}
            onPreview={(pan) => live.preview(set({ pan }))}
            onCommit={(pan) => void edit(set({ pan }))}
            onCancel={revert}
          />
        )}
      </chakra.div>
      {columns.showsReduction && (
        <chakra.span
          ref={keptIn(cells.reductions, strip.id)}
          role="cell"
          textStyle="number"
          textAlign="right"
          paddingRight="6px"
          data-reduction={strip.id}
        />
      )}
      <span role="cell">
        <LetterToggle
          letter="M"
          label={`Mute ${strip.name}`}
          address={`strips/${strip.id}/mute`}
          tone="over"
          on={strip.mute}
          onToggle={() => void edit(set({ mute: !strip.mute }))}
        />
        <LetterToggle
          letter="S"
          label={`Solo ${strip.name}`}
          tone="focus"
          on={strip.solo}
          onToggle={() => void edit(set({ solo: !strip.solo }))}
        />
      </span>
      <span role="cell">
        {strip.kind === "mix" ? (
          <chakra.span color="quiet">{wide ? `out ${wide}` : "out 1–2"}</chakra.span>
        ) : (
          <Choice
            label={`${strip.name} plays to`}
            value={strip.late && strip.output === mixId(outputs) ? LATE : (strip.output ?? "")}
            width="78px"
            options={outputOptions(strip, outputs)}
            onChange={(chosen) => {
              const late = chosen === LATE;
              const output = late ? mixId(outputs) : chosen;
              const together = useView.getState().selected.has(strip.id) ? selectedStrips(now()) : [strip];
              const ids = together
                .filter((other) => other.kind !== "mix" && other.id !== output)
                .map((other) => other.id);
              void edit({ type: "set-output", strips: ids, output: output || null, late });
            }}
          />
        )}
      </span>
      {columns.showsWays && (
        <chakra.span role="cell" textAlign="right" textStyle="number" fontSize="small" whiteSpace="nowrap">
          <MovesMark
            name={strip.name}
            prefix={`strips/${strip.id}/`}
            onOpen={() => useView.setState({ movesOpen: true })}
          />{" "}
          {strip.sends.length > 0 && (
            <chakra.span color="send" title={`${strip.sends.length} sends`}>
              ╌{strip.sends.length}
            </chakra.span>
          )}{" "}
          {nKeys > 0 && (
            <chakra.span color="key" title={`${nKeys} listen to it`}>
              ⋯{nKeys}
            </chakra.span>
          )}
        </chakra.span>
      )}
    </chakra.div>
  );
});

const LATE = "late";

const mixId = (outputs: Output[]): string => outputs.find((output) => output.kind === "mix")?.id ?? "";

function outputOptions(strip: Strip, outputs: Output[]) {
  return [
    ...outputs
      .filter((output) => output.id !== strip.id)
      .map((output) => ({ value: output.id, label: output.name })),
    { value: LATE, label: "Mix late" },
    { value: "", label: "nowhere" },
  ];
}

/** The strip's colour as a mark; members of a family are told apart by its cuts. */
export function StripMark({ color, cuts, wide }: { color: string; cuts: number; wide: boolean }) {
  const height = 15;
  const piece = height / (cuts + 1) - 2 * Math.min(1, cuts);
  return (
    <svg width="6" height={height} aria-hidden style={{ flexShrink: 0 }}>
      {Array.from({ length: cuts + 1 }, (_, index) => (
        <rect
          key={index}
          x={wide ? 0 : 1}
          y={index * (piece + 2.6)}
          width={wide ? 6 : 4}
          height={cuts ? piece + 0.6 : height}
          fill={color}
        />
      ))}
    </svg>
  );
}
