import { chakra } from "@chakra-ui/react";
import { useEffect, useRef, useState } from "react";

import { answer, server } from "../../api/client";
import {
  editsDone,
  refreshJobs,
  refreshPrints,
  reloadSession,
  useJobs,
  usePrintChoices,
  usePrints,
  usePrintsComing,
} from "../../api/queries";
import { report, useOpen } from "../../app/SessionContext";
import { notify } from "../../app/store";
import { Choice } from "../../controls/Choice";
import { PlainButton } from "../../controls/PlainButton";
import { Segments } from "../../controls/Segments";
import { StationBar } from "../../controls/StationBar";
import { settleNudges } from "../../controls/useNudge";
import { isUnderWay } from "../../lib/jobs";
import { AddPrint } from "./AddPrint";
import { HandOver } from "./HandOver";
import { OwnTarget } from "./OwnTarget";
import { PrintedDetails } from "./PrintedDetails";
import { PrintedList } from "./PrintedList";
import { PrintList } from "./PrintList";
import { freeId, latestOf, sharedTargets } from "./prints";

const FACES = ["print list", "printed", "hand over"] as const;

/** What is printed, what was, and what is handed over. */
export function Print() {
  const { state, edit } = useOpen();
  const { document } = state;
  const [face, setFace] = useState<(typeof FACES)[number]>("print list");
  const [chosen, setChosen] = useState("");
  const [own, setOwn] = useState(false);
  const { data: files = [] } = usePrints(state.id, state.revision);
  const { data: coming = [] } = usePrintsComing(state.id, state.revision);
  const { data: choices } = usePrintChoices(state.id, state.revision);
  const { data: jobs = [] } = useJobs();
  const target = choices?.targets.find((item) => item.id === document.meant_for);
  const shown = document.prints.some((item) => item.id === chosen) ? chosen : (document.prints[0]?.id ?? "");
  useFinished(jobs, state.id);

  const offered = sharedTargets(choices?.targets ?? [], choices?.shared ?? []);
  const mean = (wanted: string) => {
    const shared = offered.find(({ name }) => wanted === `shared ${name}`);
    void (shared
      ? edit({ type: "set-target", target: { ...shared, id: freeId("own-", document.targets) } })
      : edit({ type: "set-printing", meant_for: wanted || null }));
  };
  const begin = async (start: () => Promise<unknown>) => {
    try {
      // What is printed is what is shown, the last edit included.
      settleNudges();
      await editsDone();
      await start();
      refreshJobs();
      refreshPrints(state.id);
    } catch (failure) {
      report(failure);
    }
  };
  const print = (prints: string[]) =>
    void begin(() =>
      answer(
        server.POST("/api/sessions/{session_id}/prints", {
          params: { path: { session_id: state.id } },
          body: { prints, orders: [] },
        }),
      ),
    );
  const goOn = (run: string) =>
    void begin(() =>
      answer(
        server.POST("/api/sessions/{session_id}/prints/runs/{run_id}", {
          params: { path: { session_id: state.id, run_id: run } },
        }),
      ),
    );
  const stop = (job: string) =>
    void begin(() => server.DELETE("/api/jobs/{job_id}", { params: { path: { job_id: job } } }));
  return (
    <chakra.div height="100%" display="flex" flexDirection="column" minHeight="0" minWidth="0">
      <StationBar overflow="hidden">
        <Segments label="Face" options={FACES} value={face} onChange={setFace} />
        <chakra.span color="quiet">meant for</chakra.span>
        <chakra.span fontWeight="700" title={target?.source} minWidth="90px" flexShrink="1" overflow="hidden">
          <Choice
            label="Meant for"
            value={document.meant_for ?? ""}
            options={[
              { value: "", label: "nothing in particular" },
              ...(choices?.targets ?? []).map((item) => ({ value: item.id, label: targetWords(item) })),
              ...offered.map((item) => ({ value: `shared ${item.name}`, label: targetWords(item) })),
            ]}
            onChange={mean}
          />
        </chakra.span>
        <PlainButton
          height="target"
          padding="0 6px"
          title="A target of your own"
          onClick={() => setOwn(true)}
        >
          own…
        </PlainButton>
        <NamePattern />
        <chakra.span flex="1" />
        <AddPrint onPrint={print} />
        <PlainButton
          bg="ink"
          color="card"
          fontWeight="700"
          _hover={{ bg: "focus" }}
          _disabled={{ bg: "rule", color: "quiet", cursor: "default" }}
          disabled={!document.prints.length}
          onClick={() => print([])}
        >
          Print all{document.prints.length > 1 ? ` ${document.prints.length}` : ""}
        </PlainButton>
      </StationBar>
      {own && <OwnTarget from={target} shared={choices?.shared ?? []} onClose={() => setOwn(false)} />}
      {face === "hand over" ? (
        <HandOver />
      ) : face === "printed" ? (
        <PrintedList files={files} askedLufs={target?.lufs ?? null} />
      ) : document.prints.length ? (
        <>
          <PrintList
            prints={document.prints}
            files={files}
            coming={coming}
            choices={choices}
            jobs={jobs}
            target={target?.name ?? null}
            chosen={shown}
            onChoose={setChosen}
            onPrint={print}
            onGoOn={goOn}
            onStop={stop}
          />
          <PrintedDetails
            key={shown}
            made={latestOf(files, shown)}
            all={files}
            askedLufs={target?.lufs ?? null}
          />
        </>
      ) : (
        <Empty />
      )}
    </chakra.div>
  );
}

/** Prints that have come back are in the song: see it as it is now, and say what could not. */
function useFinished(jobs: { id: string; title: string; state: string; result?: unknown }[], id: string) {
  const running = useRef(new Set<string>());
  useEffect(() => {
    for (const job of jobs) {
      if (!job.title.startsWith("Print ")) continue;
      if (isUnderWay(job)) running.current.add(job.id);
      else if (running.current.delete(job.id)) {
        refreshPrints(id);
        void reloadSession(id);
        const problems = (job.result as { problems?: string[] } | null)?.problems ?? [];
        problems.forEach((problem) => notify("error", problem));
      }
    }
  }, [jobs, id]);
}

function targetWords({
  name,
  lufs,
  at_most_dbtp,
}: {
  name: string;
  lufs?: number | null;
  at_most_dbtp?: number | null;
}) {
  const loudness = lufs == null ? "" : `, −${Math.abs(lufs)} LUFS`;
  return `${name}${loudness}${at_most_dbtp == null ? "" : `, ${at_most_dbtp === 0 ? "0" : `−${Math.abs(at_most_dbtp)}`} dBTP`}`;
}

function NamePattern() {
  const { state, edit } = useOpen();
  const [typed, setTyped] = useState<string | null>(null);
  const keep = () => {
    const pattern = typed?.trim();
    setTyped(null);
    if (pattern && pattern !== state.document.print_names)
      void edit({ type: "set-printing", print_names: pattern } as never);
  };
  return (
    <>
      <chakra.span color="quiet">names</chakra.span>
      <chakra.input
        aria-label="Names of files"
        title="{session} {what} {strip} {tap} {section} {number} {date}"
        value={typed ?? state.document.print_names}
        width="170px"
        minWidth="60px"
        flexShrink="1"
        height="target"
        textStyle="number"
        bg="transparent"
        borderBottom="1px solid"
        borderColor="edge"
        onFocus={() => setTyped(state.document.print_names)}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={keep}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") setTyped(null);
        }}
      />
    </>
  );
}

function Empty() {
  const { edit, state } = useOpen();
  const mix = state.document.strips.find((strip) => strip.kind === "mix");
  return (
    <chakra.div padding="40px 24px" maxWidth="620px" display="grid" gap="10px">
      <chakra.h1 fontSize="title" fontWeight="700">
        Nothing is on the print list
      </chakra.h1>
      <p>
        A print is a sentence: what, from where on its way, which stretch, in which format. All of the list is
        rendered together, checked against what it is meant for, and stays with the song.
      </p>
      <span>
        <PlainButton
          onClick={() =>
            void edit({
              type: "set-print",
              print: { id: "p1", strips: mix ? [mix.id] : [] } as never,
            })
          }
        >
          Begin with the mix
        </PlainButton>
      </span>
    </chakra.div>
  );
}
