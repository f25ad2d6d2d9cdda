import { chakra } from "@chakra-ui/react";
import { Fragment, useState } from "react";

import { server } from "../../api/client";
import { useMeasurement } from "../../api/useMeasurement";
import type { Strip, Wish } from "../../api/types";
import { Cure } from "../../app/Cure";
import { useOpen, useTransport } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";
import { formatDb, formatNumber } from "../../lib/format";

type LedgerWay = {
  steps: {
    strip: string;
    send: string | null;
    send_db: number | null;
    gain_db: number | null;
    moves_db: [number | null, number | null] | null;
  }[];
  gain_db: number | null;
  mix_rms_dbfs: number | null;
  share: number;
  later_ms: number;
  dry: boolean;
};
type LedgerResult = {
  source_rms_dbfs: number | null;
  trim_db: number;
  chain_db: number | null;
  fader_db: number | null;
  ways: LedgerWay[];
  sum_rms_dbfs: number | null;
  sum_gain_db: number | null;
  twice_db: number | null;
  keyed: { strip: string; processor: string; reduction_db: number }[];
};
type LeaksResult = {
  leaks: { strip: string; at: string; send: string | null; through: string[]; before_fader: boolean }[];
  rms_dbfs: number | null;
  cure: Wish | null;
  cure_text: string;
};

const COUNT_WORDS = ["no way", "one way", "two ways", "three ways", "four ways", "five ways", "six ways"];
const TWICE_DB = 0.5;
const SETTLE_MS = 500;
const LEVEL_LOW_DB = -72;
const BAR_PX = 120;

/** Every way of the focused strip to the mix, with the gain of each step, and what all of them add up to. */
export function Ledger({ strip }: { strip: Strip }) {
  const { state, strips } = useOpen();
  const { loopS } = useTransport();
  const [asksLeaks, setAsksLeaks] = useState("");
  const asking = {
    params: { path: { session_id: state.id, strip_id: strip.id } },
    body: { stretch_s: loopS },
  };
  const { result, progress, problem } = useMeasurement<LedgerResult>({
    start: () => server.POST("/api/sessions/{session_id}/strips/{strip_id}/ledger", asking),
    about: strip.id,
    version: `${state.revision} ${JSON.stringify(loopS)}`,
    settleMs: SETTLE_MS,
  });
  const leaksWanted = asksLeaks === strip.id;
  const nameOf = (id: string) => strips.get(id)?.name ?? id;
  const n = result?.ways.length ?? 0;
  return (
    <chakra.section
      aria-label="Path ledger"
      flexShrink="0"
      height="212px"
      overflowY="auto"
      borderTop="1px solid"
      borderColor="ink"
      padding="6px 12px"
      bg="card"
    >
      <chakra.div display="flex" gap="14px" alignItems="baseline" flexWrap="wrap">
        <chakra.h2 fontWeight="700">
          {strip.kind === "mix"
            ? "Everything ends in the mix"
            : result
              ? `${strip.name} reaches the mix ${COUNT_WORDS[n] ?? `${n} ways`}`
              : strip.name}
        </chakra.h2>
        {result && (
          <chakra.span color="quiet" textStyle="number" fontSize="small">
            source {formatDb(result.source_rms_dbfs)} · trim {formatNumber(result.trim_db, 1)} · chain{" "}
            {formatDb(result.chain_db)} · fader, pan {formatDb(result.fader_db)} · RMS, dBFS
          </chakra.span>
        )}
        <chakra.span color="quiet" fontSize="small" role="status">
          {problem ?? (progress !== null ? `measuring ${Math.round(100 * progress)} % ` : "")}
          {!problem && (loopS ? "over the loop" : "over the whole song")}
        </chakra.span>
        <chakra.span flex="1" />
        {strip.kind !== "mix" && (
          <PlainButton
            height="target"
            aria-pressed={leaksWanted}
            onClick={() => setAsksLeaks(leaksWanted ? "" : strip.id)}
          >
            What is left if I silence this?
          </PlainButton>
        )}
      </chakra.div>
      {leaksWanted && <Leaks strip={strip} nameOf={nameOf} />}
      {result && n > 0 && (
        <chakra.table width="100%" fontSize="small" css={{ "& td, & th": { height: "24px" } }}>
          <thead>
            <chakra.tr color="quiet" textAlign="left">
              <th>way</th>
              <th>steps</th>
              <chakra.th textAlign="right">gain</chakra.th>
              <chakra.th textAlign="right" paddingRight="8px">
                at the mix
              </chakra.th>
              <th aria-label="Level" />
              <chakra.th textAlign="right">later by</chakra.th>
              <chakra.th textAlign="right">share</chakra.th>
            </chakra.tr>
          </thead>
          <tbody>
            {result.ways.map((way, index) => (
              <chakra.tr key={index} borderTop="1px solid" borderColor="rule">
                <chakra.td fontWeight="700" whiteSpace="nowrap" paddingRight="12px">
                  {wayName(way, nameOf)}
                </chakra.td>
                <td>
                  <Steps way={way} nameOf={nameOf} />
                </td>
                <Figure text={formatDb(way.gain_db)} />
                <Figure text={formatDb(way.mix_rms_dbfs)} strong />
                <td>
                  <LevelBar levelDb={way.mix_rms_dbfs} dry={way.dry} />
                </td>
                <Figure text={way.later_ms ? `${formatNumber(way.later_ms, 0)} ms` : "0"} />
                <Figure
                  text={way.share > 0 && way.share < 0.01 ? "< 1 %" : `${Math.round(100 * way.share)} %`}
                />
              </chakra.tr>
            ))}
            <chakra.tr borderTop="1px solid" borderColor="ink" fontWeight="700">
              <td>Sum</td>
              <chakra.td color={(result.twice_db ?? 0) > TWICE_DB ? "hotText" : "quiet"} fontWeight="400">
                {result.twice_db !== null && result.twice_db > TWICE_DB
                  ? `⚠ heard twice: ${formatDb(result.twice_db)} dB over its loudest dry way`
                  : "no way doubles the dry signal"}
              </chakra.td>
              <Figure text={formatDb(result.sum_gain_db)} strong />
              <Figure text={formatDb(result.sum_rms_dbfs)} strong />
              <td>
                <LevelBar levelDb={result.sum_rms_dbfs} dry />
              </td>
              <td />
              <td />
            </chakra.tr>
          </tbody>
        </chakra.table>
      )}
      {result && result.keyed.length > 0 && (
        <chakra.p fontSize="small" paddingTop="4px">
          Also turns down{" "}
          {result.keyed.map((move) => (
            <Fragment key={`${move.strip} ${move.processor}`}>
              <chakra.span color="key">
                {nameOf(move.strip)} {formatNumber(-move.reduction_db, 1)} dB
              </chakra.span>{" "}
            </Fragment>
          ))}
          <chakra.span color="quiet">at most</chakra.span>
        </chakra.p>
      )}
    </chakra.section>
  );
}

function wayName(way: LedgerWay, nameOf: (id: string) => string): string {
  const through = way.steps.slice(0, -1).map((step) => nameOf(step.strip));
  if (way.steps.every((step) => step.send === null)) return "direct";
  return through.length ? `through ${through.join(" and ")}` : "by a send";
}

function Steps({ way, nameOf }: { way: LedgerWay; nameOf: (id: string) => string }) {
  return (
    <chakra.span display="inline-flex" gap="8px" alignItems="center">
      {way.steps.map((step, index) => (
        <Fragment key={index}>
          {step.send !== null && (
            <chakra.span color="send" whiteSpace="nowrap">
              send{" "}
              {step.moves_db
                ? `moves ${formatDb(step.moves_db[0])} … ${formatDb(step.moves_db[1])}`
                : formatDb(step.send_db)}
            </chakra.span>
          )}
          <chakra.span whiteSpace="nowrap">
            {nameOf(step.strip)} <chakra.span textStyle="number">{formatDb(step.gain_db)}</chakra.span>
          </chakra.span>
          {index < way.steps.length - 1 && <chakra.span color="edge">—</chakra.span>}
        </Fragment>
      ))}
    </chakra.span>
  );
}

function Figure({ text, strong }: { text: string; strong?: boolean }) {
  return (
    <chakra.td textStyle="number" textAlign="right" fontWeight={strong ? "700" : "400"} paddingRight="8px">
      {text}
    </chakra.td>
  );
}

function LevelBar({ levelDb, dry }: { levelDb: number | null; dry: boolean }) {
  const share = Math.max(0, Math.min(1, ((levelDb ?? -200) - LEVEL_LOW_DB) / -LEVEL_LOW_DB));
  return (
    <chakra.span
      display="block"
      height="7px"
      bg={dry ? "ink" : "send"}
      style={{ width: `${share * BAR_PX}px` }}
    />
  );
}

type LeaksProps = { strip: Strip; nameOf: (id: string) => string };

/** What still sounds when the strip's fader is down, and the cure. */
function Leaks({ strip, nameOf }: LeaksProps) {
  const { state } = useOpen();
  const { loopS } = useTransport();
  const { result, current, progress } = useMeasurement<LeaksResult & { revision: number }>({
    start: () =>
      server.POST("/api/sessions/{session_id}/strips/{strip_id}/leaks", {
        params: { path: { session_id: state.id, strip_id: strip.id } },
        body: { stretch_s: loopS },
      }),
    about: strip.id,
    version: `${state.revision} ${JSON.stringify(loopS)}`,
    settleMs: SETTLE_MS,
  });
  if (!result) return <chakra.p color="quiet">{progress === null ? "…" : "listening…"}</chakra.p>;
  if (!result.leaks.length) {
    return (
      <chakra.p padding="4px 0">
        Nothing: with {strip.name}&apos;s fader down nothing of it is heard.
      </chakra.p>
    );
  }
  const words = result.leaks.map((leak) => {
    const through = leak.through.length ? ` through ${leak.through.map(nameOf).join(" and ")}` : "";
    return `${nameOf(leak.strip)}${through}${leak.before_fader ? " (sent before the fader)" : ""}`;
  });
  return (
    <chakra.div
      role="alert"
      display="flex"
      gap="10px"
      alignItems="center"
      padding="4px 8px"
      margin="4px 0"
      borderLeft="3px solid"
      borderColor="hot"
      fontSize="small"
    >
      <chakra.span flex="1">
        Still heard at {formatDb(result.rms_dbfs)} dBFS RMS: {[...new Set(words)].join("; ")}.
      </chakra.span>
      {result.cure && (
        <Cure cure={result.cure} text={result.cure_text} revision={result.revision} current={current} />
      )}
    </chakra.div>
  );
}
