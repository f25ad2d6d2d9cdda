import { chakra } from "@chakra-ui/react";
import { useCallback, useState, type ReactNode } from "react";

import { answer, server } from "../../api/client";
import {
  refreshPrints,
  refreshSessions,
  refreshSnapshots,
  reloadSession,
  useChangedSince,
  usePrintCurve,
} from "../../api/queries";
import type { PrintedFile, Wish } from "../../api/types";
import { compareWith } from "../../app/comparison";
import { openSession } from "../../app/location";
import { report, useOpen } from "../../app/SessionContext";
import { useCanvas } from "../../canvas/useCanvas";
import { ActionMenu } from "../../controls/ActionMenu";
import { Choice } from "../../controls/Choice";
import { PlainButton } from "../../controls/PlainButton";
import { formatDb, formatNumber, formatTime } from "../../lib/format";
import { paintPrint } from "./drawPrint";
import { limitingWords } from "./prints";

type PrintedDetailsProps = {
  made: PrintedFile[];
  /** Everything that was printed, to be compared with. */
  all: PrintedFile[];
  askedLufs: number | null;
};

/** The chosen print: its wave, its figures against what is asked, what changed since; heard, compared, kept. */
export function PrintedDetails({ made, all, askedLufs }: PrintedDetailsProps) {
  const done = made.filter((file) => file.state === "done");
  const [chosen, setChosen] = useState("");
  const file = done.find((item) => item.id === chosen) ?? done[0];
  if (!file) return null;
  return (
    <chakra.section
      aria-label="The chosen print"
      borderTop="2px solid"
      borderColor="ink"
      padding="8px 12px 12px"
      flexShrink="0"
      height="300px"
      overflowY="auto"
      fontSize="small"
    >
      <Head file={file} others={all.filter((item) => item.state === "done" && item.id !== file.id)}>
        {done.length > 1 && (
          <Choice
            label="File"
            value={file.id}
            options={done.map((item) => ({ value: item.id, label: item.file_name ?? item.name }))}
            onChange={setChosen}
          />
        )}
      </Head>
      <Wave key={file.id} file={file} askedLufs={askedLufs} />
      <FigureGrid file={file} />
    </chakra.section>
  );
}

type HeadProps = { file: PrintedFile; others: PrintedFile[]; children: ReactNode };

function Head({ file, others, children }: HeadProps) {
  const { state } = useOpen();
  const { data: since } = useChangedSince(state.id, file.id, state.revision);
  const [playing, setPlaying] = useState(false);
  const url = `/api/prints/${encodeURIComponent(file.file_name ?? "")}`;
  const path = { session_id: state.id, file_id: file.id };
  const act = (work: () => Promise<void>) => void work().catch(report);
  const compareFile = async () => {
    const sound = await answer(
      server.POST("/api/sessions/{session_id}/prints/{file_id}/sound", { params: { path } }),
    );
    refreshSnapshots(state.id);
    compareWith({ here: "the song now", there: file.file_name ?? "", snapshot: sound.id, action: null });
  };
  const compareSong = async () => {
    const kept = await answer(
      server.POST("/api/sessions/{session_id}/prints/{file_id}/snapshot", { params: { path } }),
    );
    refreshSnapshots(state.id);
    compareWith({ here: "the song now", there: kept.name, snapshot: kept.id, action: null });
  };
  const compareFiles = async (other: string) => {
    const beside = await answer(
      server.POST("/api/sessions/{session_id}/prints/{file_id}/against", {
        params: { path },
        body: { other },
      }),
    );
    refreshSessions();
    const [first, second] = beside.document.strips;
    openSession(beside.id);
    compareWith({
      here: first?.name ?? "",
      there: second?.name ?? "",
      snapshot: null,
      action: {
        type: "set-strips",
        changes: [
          { strip: first?.id ?? "", mute: true },
          { strip: second?.id ?? "", mute: false },
        ],
      } as Wish,
    });
  };
  const back = async () => {
    await answer(
      server.POST("/api/sessions/{session_id}/prints/{file_id}/back", {
        params: { path },
        body: { in_place: false },
      }),
    );
    await reloadSession(state.id);
    refreshPrints(state.id);
  };
  const remove = async () => {
    await server.DELETE("/api/sessions/{session_id}/prints/{file_id}", { params: { path } });
    refreshPrints(state.id);
  };
  const words = since?.differences.map((item) => item.words) ?? [];
  return (
    <chakra.div display="flex" alignItems="center" gap="8px" flexWrap="wrap">
      {children ?? null}
      <chakra.strong fontSize="body">{file.file_name}</chakra.strong>
      <chakra.span color="quiet" title={words.join("\n")}>
        printed{" "}
        {new Date(file.made_at).toLocaleTimeString([], {
          hour: "2-digit",
          minute: "2-digit",
          hourCycle: "h23",
        })}
        , as the song stood at edit {file.edit}
        {since && since.edits > 0 && (
          <>
            {" · "}
            {words.length
              ? `since: ${words.slice(0, 3).join("; ")}${words.length > 3 ? ` and ${words.length - 3} more` : ""}`
              : "nothing that is heard has changed since"}
          </>
        )}
      </chakra.span>
      <chakra.span flex="1" />
      {playing && <audio src={url} autoPlay onEnded={() => setPlaying(false)} />}
      <PlainButton aria-pressed={playing} onClick={() => setPlaying(!playing)}>
        {playing ? "stop" : "▸ hear"}
      </PlainButton>
      <ActionMenu
        label="Compare with"
        text="compare with"
        hint="At one loudness, while playing"
        items={[
          { value: "now", label: "the song as it is now" },
          ...others.map((item) => ({ value: item.id, label: item.file_name ?? item.name })),
        ]}
        onSelect={(other) => act(() => (other === "now" ? compareFile() : compareFiles(other)))}
      />
      <PlainButton title="The song as it stood when this was printed" onClick={() => act(compareSong)}>
        hear edit {file.edit}
      </PlainButton>
      <PlainButton title="A track that plays this file" onClick={() => act(back)}>
        back as a track
      </PlainButton>
      <PlainButton asChild display="inline-flex" alignItems="center">
        <a href={url} download>
          save
        </a>
      </PlainButton>
      <PlainButton
        aria-label={`Delete ${file.file_name}`}
        title="Delete the file"
        onClick={() => act(remove)}
      >
        ✕
      </PlainButton>
    </chakra.div>
  );
}

function Wave({ file, askedLufs }: { file: PrintedFile; askedLufs: number | null }) {
  const { state } = useOpen();
  const { data: curve } = usePrintCurve(state.id, file.id, true);
  const { ref } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) => {
        if (curve) paintPrint(context, widthPx, heightPx, colors, curve, askedLufs);
      },
      [curve, askedLufs],
    ),
    false,
  );
  return (
    <chakra.div position="relative" height="110px" marginTop="4px">
      <chakra.canvas
        ref={ref}
        width="100%"
        height="110px"
        role="img"
        aria-label={`Wave and short-term loudness of ${file.file_name}`}
      />
      {!curve && (
        <chakra.span position="absolute" top="40px" left="8px" color="quiet" role="status">
          reading the file
        </chakra.span>
      )}
    </chakra.div>
  );
}

function FigureGrid({ file }: { file: PrintedFile }) {
  const figures = file.result;
  if (!figures) return null;
  const { summary } = figures;
  const checkOf = (asked: string) => file.verdict?.checks.find((check) => check.asked === asked);
  const rows: { name: string; value: string; asked?: string; good?: boolean }[] = [
    { name: "integrated", value: `${formatDb(summary.integrated_lufs)} LUFS`, asked: "loudness" },
    { name: "true peak", value: `${formatDb(summary.true_peak_dbtp)} dBTP`, asked: "true peak" },
    {
      name: "short-term at most",
      value: `${formatDb(summary.max_short_term_lufs)} LUFS`,
      asked: "short-term",
    },
    {
      name: "loudness range",
      value: summary.loudness_range_lu === null ? "–" : `${formatNumber(summary.loudness_range_lu, 1)} LU`,
      asked: "range",
    },
    {
      name: "in the song",
      value: `${formatTime(figures.start_s)} to ${formatTime(figures.start_s + (summary.duration_s ?? 0))}`,
    },
    {
      name: "file",
      value: `${summary.channels} ch, ${figures.rate_hz / 1000} kHz, ${(figures.size_bytes / 1e6).toFixed(1)} MB`,
      asked: "rate",
    },
  ];
  return (
    <chakra.div
      display="grid"
      gridTemplateColumns="repeat(3, minmax(0, 1fr))"
      gap="2px 24px"
      role="list"
      aria-label="Figures"
      marginTop="4px"
    >
      {rows.map(({ name, value, asked }) => {
        const check = asked ? checkOf(asked) : undefined;
        return (
          <chakra.div key={name} role="listitem" display="flex" gap="10px" alignItems="baseline">
            <chakra.span color="quiet" width="112px" flexShrink="0">
              {name}
            </chakra.span>
            <chakra.span textStyle="number" fontWeight="700">
              {value}
            </chakra.span>
            {check && (
              <chakra.span color={check.holds ? "atText" : "hotText"} fontWeight="700">
                {check.holds ? "✓" : "⚠"} {check.wanted.replace("-", "−")}
              </chakra.span>
            )}
          </chakra.div>
        );
      })}
      {figures.limiting && (
        <chakra.p gridColumn="1 / -1" color="quiet">
          {limitingWords(figures.limiting)}
        </chakra.p>
      )}
      {file.verdict?.gain_db ? (
        <chakra.p gridColumn="1 / -1" color="quiet">
          {formatNumber(file.verdict.gain_db, 1)} dB would reach {file.verdict.target}
          {file.verdict.limited_db
            ? `; true peaks are then ${formatNumber(file.verdict.limited_db, 1)} dB too high: a limiter has to take that`
            : ", and its peaks stay within"}
          .
        </chakra.p>
      ) : null}
    </chakra.div>
  );
}
