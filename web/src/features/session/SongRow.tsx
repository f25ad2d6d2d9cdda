import { chakra } from "@chakra-ui/react";
import { useCallback, useState, type KeyboardEvent } from "react";

import type { SessionListing } from "../../api/types";
import { openSession } from "../../app/location";
import { useCanvas } from "../../canvas/useCanvas";
import { ActionMenu } from "../../controls/ActionMenu";
import { PlainButton } from "../../controls/PlainButton";
import { formatDb, formatTime } from "../../lib/format";
import { countWords, whenWords } from "./songs";

export const SONG_COLUMNS = "260px minmax(120px, 1fr) 64px 74px 84px 130px 44px";

export type SongAction = "duplicate" | "rename" | "delete" | "restore";

type SongRowProps = {
  song: SessionListing;
  chosen: boolean;
  /** How far its measuring is; null if it is not being measured. */
  measuring: number | null;
  onChoose: () => void;
  onAct: (action: SongAction, name?: string) => void;
};

/** A song: its name, what it is made of, its curve, its figures. */
export function SongRow({ song, chosen, measuring, onChoose, onAct }: SongRowProps) {
  const [asked, setAsked] = useState<"rename" | "delete" | null>(null);
  const { glance } = song;
  const stale = glance !== null && glance !== undefined && glance.revision !== song.revision;
  const { ref } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) => {
        const peaks = song.glance?.peaks ?? [];
        const step = widthPx / Math.max(1, peaks.length);
        context.fillStyle = colors.quiet;
        context.globalAlpha = 0.45;
        peaks.forEach((peak, index) => {
          const high = Math.max(1, Math.min(1, peak) ** 0.6 * heightPx);
          context.fillRect(index * step, heightPx - high, Math.max(1, step - 0.6), high);
        });
        context.globalAlpha = 1;
      },
      [song.glance],
    ),
    false,
  );
  const onKey = (event: KeyboardEvent<HTMLElement>) => {
    if (event.target !== event.currentTarget) return;
    const rows = [...(event.currentTarget.parentElement?.querySelectorAll<HTMLElement>("[data-song]") ?? [])];
    const place = rows.indexOf(event.currentTarget);
    if (event.key === "ArrowDown") rows[place + 1]?.focus();
    else if (event.key === "ArrowUp") rows[place - 1]?.focus();
    else if (event.key === "Enter" && !song.deleted) openSession(song.id);
    else if (event.key === "F2") setAsked("rename");
    else if (event.key === "Delete") setAsked("delete");
    else if (event.key === "d" && (event.ctrlKey || event.metaKey)) onAct("duplicate");
    else return;
    event.preventDefault();
  };
  return (
    <chakra.div
      role="row"
      data-song={song.id}
      tabIndex={0}
      aria-selected={chosen}
      aria-label={song.name}
      display="grid"
      gridTemplateColumns={SONG_COLUMNS}
      gap="16px"
      alignItems="center"
      minHeight="64px"
      padding="4px 8px"
      borderBottom="1px solid"
      borderColor="rule"
      bg={chosen ? "wash" : "transparent"}
      boxShadow={chosen ? "inset 3px 0 0 var(--chakra-colors-focus)" : "none"}
      onFocus={onChoose}
      onKeyDown={onKey}
      onDoubleClick={() => !song.deleted && openSession(song.id)}
    >
      <chakra.div role="cell" minWidth="0">
        {asked === "rename" ? (
          <Rename
            name={song.name}
            onDone={(name) => {
              setAsked(null);
              if (name) onAct("rename", name);
            }}
          />
        ) : song.deleted ? (
          <strong>{song.name}</strong>
        ) : (
          <chakra.a
            href={`/session/${song.id}`}
            fontWeight="700"
            fontSize="title"
            onClick={(event) => {
              event.preventDefault();
              openSession(song.id);
            }}
          >
            {song.name}
          </chakra.a>
        )}
        {song.is_sample && (
          <chakra.span color="focus" fontSize="small">
            {" "}
            sample
          </chakra.span>
        )}
        <chakra.div color="quiet" fontSize="small">
          {countWords(song)}
        </chakra.div>
      </chakra.div>
      <chakra.span role="cell">
        <chakra.canvas ref={ref} width="100%" height="40px" role="img" aria-label={`Curve of ${song.name}`} />
      </chakra.span>
      {asked === "delete" ? (
        <chakra.span role="cell" gridColumn="3 / 8" display="flex" gap="8px" justifyContent="flex-end">
          <PlainButton
            color="over"
            autoFocus
            onClick={() => {
              setAsked(null);
              onAct("delete");
            }}
          >
            Move {song.name} to the bin
          </PlainButton>
          <PlainButton onClick={() => setAsked(null)}>Keep</PlainButton>
        </chakra.span>
      ) : (
        <>
          <chakra.span role="cell" textStyle="number" textAlign="right" color={stale ? "quiet" : "ink"}>
            {glance ? formatTime(glance.duration_s, 0) : ""}
          </chakra.span>
          <chakra.span
            role="cell"
            textStyle="number"
            fontWeight={stale ? "400" : "700"}
            textAlign="right"
            color={stale ? "quiet" : "ink"}
            title={stale ? "As it was before the last edits" : "Integrated loudness of the mix, LUFS"}
          >
            {measuring !== null ? (
              <chakra.span color="quiet" fontWeight="400" fontSize="small" whiteSpace="nowrap">
                measuring {Math.round(100 * measuring)} %
              </chakra.span>
            ) : glance ? (
              formatDb(glance.integrated_lufs ?? null)
            ) : (
              ""
            )}
          </chakra.span>
          <chakra.span
            role="cell"
            textStyle="number"
            textAlign="right"
            color={glance?.findings && !stale ? "hotText" : "quiet"}
          >
            {glance ? `${glance.findings ? "⚠ " : ""}${glance.findings}` : ""}
          </chakra.span>
          <chakra.span role="cell" color="quiet">
            {whenWords(song.changed_at, new Date())}
          </chakra.span>
          <chakra.span role="cell">
            {song.deleted ? (
              <PlainButton onClick={() => onAct("restore")}>Put back</PlainButton>
            ) : (
              <ActionMenu
                label={`More for ${song.name}`}
                text=""
                items={[
                  { value: "duplicate", label: "Duplicate" },
                  { value: "rename", label: "Rename…" },
                  { value: "delete", label: "Move to the bin…" },
                ]}
                onSelect={(action) => (action === "duplicate" ? onAct("duplicate") : setAsked(action))}
              />
            )}
          </chakra.span>
        </>
      )}
    </chakra.div>
  );
}

function Rename({ name, onDone }: { name: string; onDone: (name: string | null) => void }) {
  const [typed, setTyped] = useState(name);
  return (
    <chakra.input
      aria-label={`Rename ${name}`}
      autoFocus
      value={typed}
      maxLength={200}
      width="100%"
      borderBottom="1px solid"
      borderColor="edge"
      bg="transparent"
      onChange={(event) => setTyped(event.target.value)}
      onBlur={() => onDone(null)}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") onDone(typed.trim() || null);
        if (event.key === "Escape") onDone(null);
      }}
    />
  );
}
