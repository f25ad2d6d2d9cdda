import { chakra } from "@chakra-ui/react";
import { useState } from "react";

import { server } from "../../api/client";
import { editsDone, refreshJobs, useJobs } from "../../api/queries";
import type { JobStatus, PrintOrder, Strip } from "../../api/types";
import { report, useOpen, useTransport } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";
import { Segments } from "../../controls/Segments";
import { settleNudges } from "../../controls/useNudge";
import { formatDb, formatTime } from "../../lib/format";
import { wideLayout } from "../../lib/layouts";

const BITS = ["16", "24", "32f"] as const;
const FOLDED = ["as-is", "stereo", "mono", "headphones"] as const;
const BITS_WORDS = { "16": "16 bits, dithered", "24": "24 bits", "32f": "32 bits float, never clips" };

type Result = {
  file_name: string;
  bits: string;
  clipped_samples: number;
  ringing_dbfs: number | null;
  summary: Record<
    "duration_s" | "sample_peak_dbfs" | "true_peak_dbtp" | "integrated_lufs" | "max_short_term_lufs",
    number | null
  > & {
    loudness_range_lu: number | null;
  };
};

/** Print the mix: all of it or the loop, in a format, and what the result measures. */
export function Print() {
  const { state } = useOpen();
  const { loopS } = useTransport();
  const { data: jobs } = useJobs();
  const [bits, setBits] = useState<(typeof BITS)[number]>("24");
  const [folded, setFolded] = useState<(typeof FOLDED)[number]>("as-is");
  const bed = wideLayout(mixOf(state.document));
  const [stretch, setStretch] = useState<"whole song" | "loop">("whole song");
  const prints = (jobs ?? []).filter((job) => job.title.startsWith("Print ")).reverse();

  const start = async () => {
    const order: PrintOrder = { bits, folded: bed ? folded : "as-is" };
    if (stretch === "loop" && loopS) Object.assign(order, { from_s: loopS[0], to_s: loopS[1] });
    try {
      // What is printed is what is shown, the last edit included.
      settleNudges();
      await editsDone();
      await server.POST("/api/sessions/{session_id}/prints", {
        params: { path: { session_id: state.id } },
        body: order,
      });
      refreshJobs();
    } catch (failure) {
      report(failure);
    }
  };

  return (
    <chakra.div padding="16px 24px" overflowY="auto" height="100%">
      <chakra.h1 fontSize="title" fontWeight="700" marginBottom="12px">
        Print the mix
      </chakra.h1>
      <chakra.div display="grid" gridTemplateColumns="80px 1fr" rowGap="10px" alignItems="center">
        <chakra.span color="quiet">what</chakra.span>
        <span>Mix, after its fader</span>
        {bed && (
          <>
            <chakra.span color="quiet">channels</chakra.span>
            <span>
              <Segments label="Channels" options={FOLDED} value={folded} onChange={setFolded} />{" "}
              <chakra.span color="quiet">
                {folded === "as-is"
                  ? `${bed}, each channel said to be for its loudspeaker`
                  : folded === "headphones"
                    ? "what two ears hear of its loudspeakers"
                    : "folded down"}
              </chakra.span>
            </span>
          </>
        )}
        <chakra.span color="quiet">stretch</chakra.span>
        <span>
          <Segments
            label="Stretch"
            options={["whole song", "loop"] as const}
            value={stretch}
            onChange={setStretch}
          />{" "}
          {stretch === "loop" && (
            <chakra.span color={loopS ? "quiet" : "over"}>
              {loopS
                ? `${formatTime(loopS[0])} to ${formatTime(loopS[1])}`
                : "there is no loop: drag over the song line first"}
            </chakra.span>
          )}
        </span>
        <chakra.span color="quiet">format</chakra.span>
        <span>
          <Segments label="Format" options={BITS} value={bits} onChange={setBits} />{" "}
          <chakra.span color="quiet">
            WAV, {state.document.sample_rate_hz / 1000} kHz, {BITS_WORDS[bits]}
          </chakra.span>
        </span>
        <span />
        <span>
          <PlainButton
            bg="ink"
            color="card"
            fontWeight="700"
            _hover={{ bg: "focus" }}
            disabled={stretch === "loop" && !loopS}
            onClick={() => void start()}
          >
            Print
          </PlainButton>
        </span>
      </chakra.div>
      <chakra.h2 fontWeight="700" margin="24px 0 8px">
        Prints
      </chakra.h2>
      {prints.length === 0 && (
        <chakra.p color="quiet">
          Nothing printed yet. What is printed appears here with what it measures.
        </chakra.p>
      )}
      {prints.map((job) => (
        <PrintRow key={job.id} job={job} />
      ))}
    </chakra.div>
  );
}

function mixOf({ strips }: { strips: Strip[] }): Strip {
  return strips.find((strip) => strip.kind === "mix") as Strip;
}

function PrintRow({ job }: { job: JobStatus }) {
  const result = job.state === "done" ? (job.result as Result) : null;
  const cancel = () =>
    void server
      .DELETE("/api/jobs/{job_id}", { params: { path: { job_id: job.id } } })
      .catch(report)
      .then(refreshJobs);
  return (
    <chakra.div
      borderTop="1px solid"
      borderColor="rule"
      padding="8px 0"
      display="flex"
      gap="16px"
      alignItems="center"
      minHeight="41px"
    >
      {result ? (
        <>
          <chakra.a
            href={`/api/prints/${encodeURIComponent(result.file_name)}`}
            download
            fontWeight="700"
            color="focus"
            textDecoration="underline"
            minWidth="220px"
          >
            {result.file_name}
          </chakra.a>
          <Figure name="length" value={formatTime(result.summary.duration_s ?? 0)} />
          <Figure name="peak" value={formatDb(result.summary.sample_peak_dbfs)} />
          <Figure name="true peak" value={formatDb(result.summary.true_peak_dbtp)} />
          <Figure name="I, LUFS" value={formatDb(result.summary.integrated_lufs)} />
          <Figure name="range, LU" value={formatDb(result.summary.loudness_range_lu)} />
          {result.ringing_dbfs !== null && (
            <chakra.span color="over" fontWeight="700">
              ⚠ still rang at {formatDb(result.ringing_dbfs)} dBFS two minutes after the last clip and was cut
              there; shorten the feedback or print a longer stretch
            </chakra.span>
          )}
          {result.clipped_samples > 0 && (
            <chakra.span color="over" fontWeight="700">
              ⚠ {result.clipped_samples} samples clipped; turn the mix down or print 32 bits float
            </chakra.span>
          )}
        </>
      ) : job.state === "failed" && job.error ? (
        <chakra.span role="alert" color="over">
          ⚠ {job.title}: {job.error.what}. {job.error.remedy}
        </chakra.span>
      ) : job.state === "cancelled" ? (
        <chakra.span color="quiet">{job.title}: stopped, nothing written</chakra.span>
      ) : (
        <>
          <chakra.strong>{job.title}</chakra.strong>
          <chakra.progress max={1} value={job.progress} aria-label={`Progress of ${job.title}`} />
          <PlainButton onClick={cancel}>Stop</PlainButton>
        </>
      )}
    </chakra.div>
  );
}

function Figure({ name, value }: { name: string; value: string }) {
  return (
    <span>
      <chakra.span textStyle="small">{name} </chakra.span>
      <chakra.span textStyle="number" fontWeight="700">
        {value}
      </chakra.span>
    </span>
  );
}
