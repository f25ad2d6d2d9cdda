import { chakra } from "@chakra-ui/react";
import type { KeyboardEvent } from "react";

import type { JobStatus, Print, PrintChoices, PrintComing, PrintedFile } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { ActionMenu } from "../../controls/ActionMenu";
import { PlainButton } from "../../controls/PlainButton";
import { ProgressBar } from "../../controls/ProgressBar";
import { isUnderWay } from "../../lib/jobs";
import { formatDb, formatTime } from "../../lib/format";
import { freeId, latestOf, verdictWords } from "./prints";
import { PrintWords } from "./PrintWords";

type PrintListProps = {
  prints: Print[];
  files: PrintedFile[];
  coming: PrintComing[];
  choices: PrintChoices | undefined;
  jobs: JobStatus[];
  /** What it is meant for, in a word. */
  target: string | null;
  chosen: string;
  onChoose: (print: string) => void;
  onPrint: (prints: string[]) => void;
  onGoOn: (run: string) => void;
  onStop: (job: string) => void;
};

export const COLUMNS = "16px 8px minmax(0, 1fr) 62px 56px 56px 190px 30px";

/** One row per print: its sentence, and what came of it. */
export function PrintList(props: PrintListProps) {
  const { prints, files, coming, choices, jobs, chosen, onChoose } = props;
  const { edit, strips } = useOpen();
  const move = (event: KeyboardEvent, place: number) => {
    const to = { ArrowUp: place - 1, ArrowDown: place + 1 }[event.key];
    const other = to === undefined ? undefined : prints[to];
    if (!other || event.target !== event.currentTarget) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.altKey) void edit({ type: "move-print", print: prints[place]?.id ?? "", to: to ?? 0 });
    else {
      onChoose(other.id);
      const rows = event.currentTarget.parentElement?.children;
      (rows?.[(to ?? 0) + 1] as HTMLElement | undefined)?.focus();
    }
  };
  return (
    <chakra.div role="table" aria-label="Print list" flex="1 1 auto" minHeight="120px" overflowY="auto">
      <chakra.div
        role="row"
        display="grid"
        gridTemplateColumns={COLUMNS}
        gap="8px"
        alignItems="center"
        height="26px"
        padding="0 12px"
        color="quiet"
        fontSize="small"
        borderBottom="1px solid"
        borderColor="ink"
        position="sticky"
        top="0"
        bg="sheet"
        zIndex="1"
      >
        <span role="columnheader" aria-label="state" />
        <span role="columnheader" aria-label="colour" />
        <span role="columnheader">what is printed, from where, how</span>
        {["length", "LUFS", "dBTP"].map((name) => (
          <chakra.span key={name} role="columnheader" textAlign="right">
            {name}
          </chakra.span>
        ))}
        <span role="columnheader">{props.target ? `for ${props.target}` : "result"}</span>
        <span role="columnheader" aria-label="more" />
      </chakra.div>
      {prints.map((print, place) => {
        const made = latestOf(files, print.id);
        const foreseen = coming.find((item) => item.print === print.id);
        const job = jobs.find((item) => item.title.endsWith(made[0]?.run ?? "no run"));
        const color = strips.get(print.strips[0] ?? "")?.color ?? "var(--chakra-colors-edge)";
        return (
          <chakra.div
            key={print.id}
            role="row"
            tabIndex={0}
            aria-selected={chosen === print.id}
            data-print={print.id}
            display="grid"
            gridTemplateColumns={COLUMNS}
            gap="8px"
            alignItems="center"
            minHeight="34px"
            padding="0 12px"
            borderBottom="1px solid"
            borderColor="rule"
            bg={chosen === print.id ? "wash" : "transparent"}
            boxShadow={chosen === print.id ? "inset 3px 0 0 var(--chakra-colors-focus)" : "none"}
            onClick={() => onChoose(print.id)}
            onKeyDown={(event) => {
              if (event.key === "Delete" && event.target === event.currentTarget)
                void edit({ type: "remove-prints", prints: [print.id] });
              else move(event, place);
            }}
          >
            <State made={made} problem={foreseen?.problem ? true : false} />
            <chakra.span role="cell" width="5px" height="15px" style={{ background: color }} />
            <chakra.span role="cell" minWidth="0" whiteSpace="nowrap">
              <PrintWords print={print} choices={choices} />
            </chakra.span>
            <Outcome {...props} print={print} made={made} foreseen={foreseen} job={job} />
            <chakra.span role="cell">
              <More print={print} onPrint={() => props.onPrint([print.id])} />
            </chakra.span>
          </chakra.div>
        );
      })}
    </chakra.div>
  );
}

function State({ made, problem }: { made: PrintedFile[]; problem: boolean }) {
  const states = new Set(made.map((file) => file.state));
  const [sign, words, color] = problem
    ? ["⚠", "cannot be printed", "over"]
    : states.has("running")
      ? ["▸", "being printed", "focus"]
      : states.has("failed")
        ? ["⚠", "not all could be written", "over"]
        : states.has("waiting") || states.has("stopped") || !made.length
          ? ["·", states.has("stopped") ? "stopped" : "waits", "quiet"]
          : ["✓", "printed", "atText"];
  return (
    <chakra.span role="cell" color={color} fontWeight="700" title={words}>
      <span aria-label={words}>{sign}</span>
    </chakra.span>
  );
}

type OutcomeProps = PrintListProps & {
  print: Print;
  made: PrintedFile[];
  foreseen: PrintComing | undefined;
  job: JobStatus | undefined;
};

/** What came of a print: figures and verdict, how far it is, or why not. */
function Outcome({ print, made, foreseen, job, onStop, onGoOn, onPrint }: OutcomeProps) {
  const { state, strips, edit } = useOpen();
  const failed = made.find((file) => file.state === "failed");
  const stopped = made.find((file) => file.state === "stopped");
  const done = made.filter((file) => file.state === "done");
  const wide = {
    gridColumn: "4 / 8",
    display: "flex",
    alignItems: "center",
    gap: "8px",
    minWidth: "0",
  } as const;
  if (foreseen?.problem)
    return (
      <chakra.span role="cell" {...wide} color="over" fontSize="small" title={foreseen.problem.remedy}>
        {foreseen.problem.what}
      </chakra.span>
    );
  if (made.some(isUnderWay))
    return (
      <chakra.span role="cell" {...wide} fontSize="small">
        <ProgressBar label={`Progress of ${print.id}`} share={job?.progress ?? 0} />
        {made.length > 1 && `${done.length} of ${made.length}`}
        <chakra.span flex="1" />
        {job && <PlainButton onClick={() => onStop(job.id)}>Stop</PlainButton>}
      </chakra.span>
    );
  if (failed?.error)
    return (
      <chakra.span role="cell" {...wide} color="over" fontSize="small">
        <chakra.span
          overflow="hidden"
          textOverflow="ellipsis"
          title={`${failed.error.what}. ${failed.error.remedy}`}
        >
          {failed.error.what}
          {done.length > 0 && `; ${done.length} of ${made.length} are whole`}
        </chakra.span>
        <chakra.span flex="1" />
        <PlainButton onClick={() => onGoOn(failed.run)}>Try again</PlainButton>
      </chakra.span>
    );
  if (stopped)
    return (
      <chakra.span role="cell" {...wide} color="quiet" fontSize="small">
        stopped, {done.length} of {made.length} whole
        <chakra.span flex="1" />
        <PlainButton onClick={() => onGoOn(stopped.run)}>Go on</PlainButton>
      </chakra.span>
    );
  const first = made[0];
  const figures = first?.result;
  if (!first || !figures)
    return (
      <chakra.span role="cell" {...wide} color="quiet" fontSize="small">
        {foreseen && foreseen.files.length > 1
          ? `${foreseen.files.length} files`
          : (foreseen?.files[0] ?? "")}
        <chakra.span flex="1" />
        <PlainButton onClick={() => onPrint([print.id])}>Print</PlainButton>
      </chakra.span>
    );
  // Figures of a print that has been changed since are not this print's.
  const changedOrder = JSON.stringify(first.order) !== JSON.stringify(print);
  const stale = changedOrder || first.revision !== state.revision;
  const longest = Math.max(...made.map((file) => file.result?.summary.duration_s ?? 0));
  const one = made.length === 1;
  const verdict = one ? first.verdict : null;
  const fits = verdict?.checks.every((check) => check.holds);
  const mix = [...strips.values()].find((strip) => strip.kind === "mix");
  const isMix = print.strips.length === 1 && print.strips[0] === mix?.id && print.taps[0] === "post-fader";
  const gainDb = verdict?.gain_db ?? 0;
  const reach = () =>
    void edit({
      type: "set-strips",
      changes: [{ strip: mix?.id ?? "", fader_db: Math.round(10 * ((mix?.fader_db ?? 0) + gainDb)) / 10 }],
    });
  return (
    <>
      <chakra.span role="cell" textStyle="number" textAlign="right" color={stale ? "quiet" : "ink"}>
        {formatTime(longest)}
      </chakra.span>
      {one ? (
        <>
          <Level value={figures.summary.integrated_lufs} stale={stale} />
          <Level value={figures.summary.true_peak_dbtp} stale={stale} />
        </>
      ) : (
        <chakra.span role="cell" gridColumn="5 / 7" textAlign="right" color="quiet" fontSize="small">
          {made.length} files
        </chakra.span>
      )}
      <chakra.span role="cell" display="flex" gap="6px" alignItems="center" fontSize="small" minWidth="0">
        {changedOrder ? (
          <>
            <chakra.span color="quiet">changed since</chakra.span>
            <PlainButton onClick={() => onPrint([print.id])}>Print anew</PlainButton>
          </>
        ) : (
          <>
            {verdict && (
              <chakra.span
                color={stale ? "quiet" : fits ? "atText" : "hotText"}
                fontWeight={stale ? "400" : "700"}
              >
                {verdictWords(verdict)}
              </chakra.span>
            )}
            {verdict && !fits && isMix && gainDb !== 0 && !stale && (
              <PlainButton
                height="target"
                padding="0 6px"
                title={`Turn the mix's fader by that; ${
                  verdict.limited_db
                    ? `its true peaks are then ${verdict.limited_db} dB too high: a limiter has to take that`
                    : "then it fits"
                }`}
                onClick={reach}
              >
                {gainDb > 0 ? "+" : "−"}
                {Math.abs(gainDb).toFixed(1)} dB
              </PlainButton>
            )}
            {figures.clipped_samples > 0 && (
              <chakra.span color="over" title="Turn it down, or print 32 bits float">
                ⚠ {figures.clipped_samples} clipped
              </chakra.span>
            )}
            {figures.ringing_dbfs !== null && (
              <chakra.span color="over" title="Shorten the feedback, or print a longer stretch">
                ⚠ still rang
              </chakra.span>
            )}
            {stale && (
              <PlainButton height="target" padding="0 6px" onClick={() => onPrint([print.id])}>
                Print anew
              </PlainButton>
            )}
          </>
        )}
      </chakra.span>
    </>
  );
}

function Level({ value, stale }: { value: number | null; stale: boolean }) {
  return (
    <chakra.span
      role="cell"
      textStyle="number"
      fontWeight={stale ? "400" : "700"}
      textAlign="right"
      color={stale ? "quiet" : "ink"}
    >
      {formatDb(value)}
    </chakra.span>
  );
}

type Setting =
  | "print"
  | "copy"
  | "remove"
  | "reversed"
  | "moves"
  | "summed"
  | "shaped"
  | "back"
  | "channels"
  | `rate ${string}`;

function More({ print, onPrint }: { print: Print; onPrint: () => void }) {
  const { edit, state } = useOpen();
  const set = (changes: Partial<Print>) =>
    void edit({ type: "set-print", print: { id: print.id, ...changes } });
  const choose = (setting: Setting) => {
    if (setting === "print") onPrint();
    else if (setting === "copy") set({ ...print, id: freeId("p", state.document.prints) });
    else if (setting === "remove") void edit({ type: "remove-prints", prints: [print.id] });
    else if (setting === "back") set({ back: print.back === "no" ? "track" : "no", lands: null });
    else if (setting === "channels") set({ channels: print.channels === "as-is" ? "mono" : "as-is" });
    else if (setting.startsWith("rate ")) {
      const rateHz = Number(setting.slice(5));
      set({ rate_hz: (rateHz || null) as Print["rate_hz"] });
    } else set({ [setting]: !print[setting as "reversed"] });
  };
  const items: { value: Setting; label: string }[] = [
    { value: "print", label: "Print this" },
    { value: "back", label: print.back === "no" ? "Bring it back into the song" : "Keep it a file only" },
    { value: "channels", label: print.channels === "as-is" ? "Fold, or take one side" : "All channels" },
    { value: "reversed", label: print.reversed ? "Forwards" : "Reverse it" },
    { value: "moves", label: print.moves ? "Without moves" : "With moves" },
    ...(print.strips.length > 1
      ? [{ value: "summed" as const, label: print.summed ? "Each to a file of its own" : "All to one file" }]
      : []),
    { value: "shaped", label: print.shaped ? "Plain dither at 16 bits" : "Shaped noise at 16 bits" },
    ...[44100, 48000, 96000].map((rate) => ({
      value: `rate ${rate}` as const,
      label: `At ${rate / 1000} kHz`,
    })),
    { value: "rate 0", label: "At the song’s rate" },
    { value: "copy", label: "Add a copy" },
    { value: "remove", label: "Take it off the list" },
  ];
  return <ActionMenu label={`More for print ${print.id}`} text="" items={items} onSelect={choose} />;
}
