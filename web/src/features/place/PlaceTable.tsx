import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import { limitsOf } from "../../api/parameters";
import type { Pan, Strip, StripSettings, Wish } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { focusStrip, selectStrips, useView } from "../../app/store";
import { WishField } from "../../app/WishField";
import { Choice } from "../../controls/Choice";
import { formatNumber } from "../../lib/format";
import { StripMark } from "../level";
import { wideLayout } from "../../lib/layouts";
import { isAround } from "./bedSetting";
import { LOSS_DB, sideOf, type BedPlace, type StagePlace } from "./report";

const AROUND = { value: "around", label: "around" };

/** "L 120 ↑ 25" in degrees. */
function bedPlace({ azimuth_deg, elevation_deg }: BedPlace): string {
  const turned = Math.round(Math.abs(azimuth_deg));
  const raised = Math.round(Math.abs(elevation_deg));
  const side = turned === 0 ? "0°" : `${azimuth_deg > 0 ? "L" : "R"} ${turned}°`;
  return raised ? `${side} ${elevation_deg > 0 ? "↑" : "↓"}${raised}°` : side;
}

type Column = "strip" | "place" | "width" | "corr." | "mono loss";
const COLUMNS: { name: Column | "pan" | "from … to"; sorts: boolean; align: "left" | "right" }[] = [
  { name: "strip", sorts: true, align: "left" },
  { name: "pan", sorts: false, align: "left" },
  { name: "place", sorts: true, align: "right" },
  { name: "from … to", sorts: false, align: "left" },
  { name: "width", sorts: true, align: "right" },
  { name: "corr.", sorts: true, align: "right" },
  { name: "mono loss", sorts: true, align: "right" },
];
const GRID = "minmax(0, 1fr) 68px 92px 56px 44px 42px 56px";
const MODES = [
  { value: "balance", label: "balance" },
  { value: "fold", label: "fold" },
  { value: "two-handed", label: "two hands" },
];

type PlaceTableProps = {
  strips: Strip[];
  places: Map<string, StagePlace>;
  /** The bed that a strip can be placed in, by strip. */
  beds: Record<string, string>;
  stale: boolean;
};

/** Every strip that is heard: how it is panned, and what was measured of it. */
export function PlaceTable({ strips, places, beds, stale }: PlaceTableProps) {
  const { edit } = useOpen();
  const focused = useView((view) => view.focused);
  const selected = useView((view) => view.selected);
  const [by, setBy] = useState<Column>("strip");
  const valueOf = (strip: Strip) => {
    const place = places.get(strip.id);
    if (by === "place") return place?.position ?? 0;
    if (by === "width") return -strip.width;
    if (by === "corr.") return place?.correlation ?? 2;
    if (by === "mono loss") return -(place?.mono_loss_db ?? 0);
    return 0;
  };
  const rows = [...strips].sort((one, other) => valueOf(one) - valueOf(other));
  const set = (strip: Strip, values: Partial<StripSettings>): Wish =>
    ({ type: "set-strips", changes: [{ strip: strip.id, ...values }] }) as Wish;
  return (
    <chakra.div role="table" aria-label="Places" fontSize="small" minHeight="0" overflowY="auto">
      <chakra.div
        role="row"
        display="grid"
        gridTemplateColumns={GRID}
        gap="6px"
        padding="4px 10px"
        borderBottom="1px solid"
        borderColor="ink"
        position="sticky"
        top="0"
        zIndex="1"
        alignItems="center"
        bg="sheet"
      >
        {COLUMNS.map(({ name, sorts, align }) => (
          <chakra.span
            key={name}
            role="columnheader"
            aria-sort={by === name && name !== "strip" ? "ascending" : undefined}
            textAlign={align}
            color="quiet"
            whiteSpace="nowrap"
          >
            {sorts ? (
              <chakra.button
                type="button"
                cursor="pointer"
                minHeight="target"
                fontWeight={by === name ? "700" : "400"}
                title={name === "strip" ? "In the song’s order" : `Sort by ${name}`}
                onClick={() => setBy(name as Column)}
              >
                {name}
              </chakra.button>
            ) : (
              name
            )}
          </chakra.span>
        ))}
      </chakra.div>
      {rows.map((strip) => {
        const place = places.get(strip.id);
        const lost = (place?.mono_loss_db ?? 0) > LOSS_DB;
        const isMix = strip.kind === "mix";
        return (
          <chakra.div
            key={strip.id}
            role="row"
            aria-label={strip.name}
            aria-selected={selected.has(strip.id)}
            display="grid"
            gridTemplateColumns={GRID}
            gap="6px"
            padding="0 10px"
            height="25px"
            alignItems="center"
            borderBottom="1px solid"
            borderColor="rule"
            bg={selected.has(strip.id) ? "wash" : "transparent"}
            boxShadow={strip.id === focused ? "inset 3px 0 0 var(--chakra-colors-focus)" : "none"}
            cursor="pointer"
            onClick={(event) => {
              if (event.ctrlKey || event.metaKey || event.shiftKey) {
                const next = new Set(selected);
                if (!next.delete(strip.id)) next.add(strip.id);
                selectStrips([...next], strip.id);
              } else focusStrip(strip.id);
            }}
          >
            <chakra.span role="cell" display="flex" gap="6px" alignItems="center" minWidth="0">
              <StripMark
                color={isMix ? "currentColor" : strip.color}
                cuts={0}
                wide={strip.kind !== "track"}
              />
              <chakra.span
                overflow="hidden"
                textOverflow="ellipsis"
                whiteSpace="nowrap"
                fontWeight={strip.kind === "track" ? "400" : "700"}
              >
                {strip.name}
              </chakra.span>
            </chakra.span>
            <span role="cell">
              {wideLayout(strip) ?? (
                <Choice
                  label={`How ${strip.name} is panned`}
                  value={strip.pan.mode}
                  options={strip.id in beds || isAround(strip) ? [...MODES, AROUND] : MODES}
                  onChange={(mode) => void edit(set(strip, { pan: { mode: mode as Pan["mode"] } as Pan }))}
                />
              )}
            </span>
            <chakra.span
              role="cell"
              textAlign="right"
              textStyle="number"
              whiteSpace="nowrap"
              opacity={stale ? 0.5 : 1}
            >
              {!place
                ? "−"
                : (isAround(strip) || wideLayout(strip)) && place.bed
                  ? bedPlace(place.bed)
                  : sideOf(place.position)}
            </chakra.span>
            <span role="cell">
              {place && <Bar place={place} color={isMix ? "currentColor" : strip.color} stale={stale} />}
            </span>
            <chakra.span role="cell" textAlign="right">
              {!wideLayout(strip) && (
                <WishField
                  label={`${strip.name}: width`}
                  address={`strips/${strip.id}/width`}
                  value={strip.width}
                  {...limitsOf("strip", "width")}
                  step={0.02}
                  format={(value) => `${Math.round(100 * (value ?? 1))} %`}
                  wish={(value) => set(strip, { width: value ?? 1 })}
                />
              )}
            </chakra.span>
            <chakra.span role="cell" textAlign="right" textStyle="number" opacity={stale ? 0.5 : 1}>
              {place?.correlation == null ? "" : formatNumber(place.correlation, 2)}
            </chakra.span>
            <chakra.span
              role="cell"
              textAlign="right"
              textStyle="number"
              color={lost && !isMix ? "hotText" : "ink"}
              fontWeight={lost ? "700" : "400"}
              opacity={stale ? 0.5 : 1}
            >
              {place
                ? `${lost ? "⚠ " : ""}${formatNumber(-Math.min(60, Math.max(0, place.mono_loss_db)), 1)}`
                : ""}
            </chakra.span>
          </chakra.div>
        );
      })}
    </chakra.div>
  );
}

/** From where to where something is heard, the middle marked. */
function Bar({ place, color, stale }: { place: StagePlace; color: string; stale: boolean }) {
  const share = (position: number) => 50 * (1 + Math.max(-1, Math.min(1, position)));
  const from = share(place.position - Math.max(0.03, place.reach));
  const to = share(place.position + Math.max(0.03, place.reach));
  return (
    <chakra.span display="block" position="relative" height="10px" opacity={stale ? 0.5 : 1}>
      <chakra.span position="absolute" left="50%" top="-3px" bottom="-3px" width="1px" bg="edge" />
      <chakra.span
        position="absolute"
        top="2px"
        height="6px"
        style={{ left: `${from}%`, width: `${to - from}%`, background: color }}
      />
    </chakra.span>
  );
}
