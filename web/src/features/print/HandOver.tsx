import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import { answer, server } from "../../api/client";
import { editsDone, refreshJobs, useJobs } from "../../api/queries";
import type { JobStatus } from "../../api/types";
import { report, useOpen } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";
import { ProgressBar } from "../../controls/ProgressBar";
import { settleNudges } from "../../controls/useNudge";
import { isUnderWay } from "../../lib/jobs";

const WAYS = [
  {
    kind: "session",
    title: "The session",
    words: "Everything as it is, with its audio, in one zip: to be opened in Gemischt.",
  },
  {
    kind: "consolidated",
    title: "Consolidated files",
    words:
      "Every track before its chain as one file from the song’s beginning, all of one length, numbered in order; with a mix sheet, tempo and sections as MIDI, and the session that plays these files. For whoever works with something else.",
  },
  {
    kind: "sheet",
    title: "The mix sheet",
    words:
      "Strips, levels, chains in words, ways, what makes room, moves, and pictures of the flow and of the stage: one page to read, or to print on paper.",
  },
] as const;
type Kind = (typeof WAYS)[number]["kind"];

/** The song for somebody else. */
export function HandOver() {
  const { state } = useOpen();
  const { data: jobs = [] } = useJobs();
  const [asked, setAsked] = useState<Partial<Record<Kind, { job: string; revision: number }>>>({});
  const begin = async (kind: Kind) => {
    try {
      settleNudges();
      await editsDone();
      const job = await answer(
        server.POST("/api/sessions/{session_id}/hand-over", {
          params: { path: { session_id: state.id } },
          body: { kind },
        }),
      );
      setAsked((known) => ({ ...known, [kind]: { job: job.id, revision: state.revision } }));
      refreshJobs();
    } catch (failure) {
      report(failure);
    }
  };
  return (
    <chakra.div padding="24px" maxWidth="760px" display="grid" gap="22px" overflowY="auto">
      {WAYS.map(({ kind, title, words }) => {
        const known = asked[kind];
        const job = jobs.find((item) => item.id === known?.job);
        return (
          <chakra.section key={kind} aria-label={title} display="grid" gap="6px">
            <chakra.h2 fontWeight="700">{title}</chakra.h2>
            <chakra.p color="quiet">{words}</chakra.p>
            <chakra.div display="flex" alignItems="center" gap="10px" minHeight="28px">
              <PlainButton disabled={!!job && isUnderWay(job)} onClick={() => void begin(kind)}>
                Prepare
              </PlainButton>
              {job && <Prepared job={job} stale={known?.revision !== state.revision} />}
            </chakra.div>
          </chakra.section>
        );
      })}
    </chakra.div>
  );
}

function Prepared({ job, stale }: { job: JobStatus; stale: boolean }) {
  if (job.state === "failed")
    return (
      <chakra.span role="alert" color="over">
        ⚠ {job.error?.what}. {job.error?.remedy}
      </chakra.span>
    );
  if (job.state !== "done")
    return (
      <>
        <ProgressBar label={`Progress of ${job.title}`} share={job.progress} />
        <PlainButton
          onClick={() =>
            void server
              .DELETE("/api/jobs/{job_id}", { params: { path: { job_id: job.id } } })
              .then(refreshJobs)
              .catch(report)
          }
        >
          Stop
        </PlainButton>
      </>
    );
  const { file_name, size_bytes } = job.result as { file_name: string; size_bytes: number };
  return (
    <>
      <chakra.a
        href={`/api/prints/${encodeURIComponent(file_name)}`}
        download
        fontWeight="700"
        color="focus"
        textDecoration="underline"
      >
        {file_name}
      </chakra.a>
      <chakra.span color="quiet">
        {(size_bytes / 1e6).toFixed(1)} MB{stale ? ", as the song was before the last edits" : ""}
      </chakra.span>
    </>
  );
}
