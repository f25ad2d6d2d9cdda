import { chakra } from "@chakra-ui/react";
import { useEffect, useMemo, useState } from "react";

import { server } from "../../api/client";
import { useRelations } from "../../api/queries";
import { useMeasurement } from "../../api/useMeasurement";
import { makeGhost } from "../../app/commands";
import { useOpen, useTransport } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";
import { Segments } from "../../controls/Segments";
import { StationBar } from "../../controls/StationBar";
import { barsAt, timeOfBars } from "../../lib/beatGrid";
import { CurveEditor } from "./CurveEditor";
import { NewSentence } from "./NewSentence";
import { STRETCHES, type DuckReport, type Glance, type StretchName } from "./report";
import { Scope } from "./Scope";
import { SentenceList } from "./SentenceList";
import { Side } from "./Side";
import { WithAndWithout } from "./WithAndWithout";

const SETTLE_MS = 30;
const BARS = 2;
const GLANCE_AFTER_MS = 600;
const FOLLOW_MS = 200;

/** What makes room for what: sentences, and what the chosen one does. */
export function Duck() {
  const open = useOpen();
  const { state, live, grid, strips, edit } = open;
  const { loopS, durationS } = useTransport();
  const { data: relations = [], isPlaceholderData: waits } = useRelations(state.id, state.revision);
  const [wanted, setWanted] = useState("");
  const [about, setAbout] = useState<string | null>(null);
  const [name, setName] = useState<StretchName>("2 bars");
  const [target, setTarget] = useState<string | null>(null);
  const [bar, setBar] = useState(() => Math.floor(barsAt(grid, live.positionS() || durationS / 2)));

  const involved = useMemo(
    () => [
      ...new Set(relations.flatMap((item) => [...item.targets, ...(item.trigger ? [item.trigger] : [])])),
    ],
    [relations],
  );
  const listed = relations.filter(
    (item) => about === null || item.targets.includes(about) || item.trigger === about,
  );
  const allOn = listed.every((item) => item.on);
  const chosen = listed.find((item) => item.id === wanted) ?? listed[0];
  const heardAt = chosen && target !== null && chosen.targets.includes(target) ? target : null;
  useEffect(() => {
    if (name !== "live") return;
    const timer = setInterval(
      () => setBar(BARS * Math.floor(barsAt(grid, live.positionS()) / BARS)),
      FOLLOW_MS,
    );
    return () => clearInterval(timer);
  }, [name, live, grid]);
  const stretchS = useMemo<[number, number] | null>(() => {
    if (name === "loop" && loopS) return loopS;
    if (name === "song") return null;
    return [Math.max(0, timeOfBars(grid, bar)), Math.max(0.1, timeOfBars(grid, bar + BARS))];
  }, [name, loopS, grid, bar]);

  const { result, current, progress, problem } = useMeasurement<DuckReport>({
    start: () =>
      server.POST("/api/sessions/{session_id}/ducks/report", {
        params: { path: { session_id: state.id } },
        body: { relation: chosen?.id ?? "", target: heardAt, stretch_s: stretchS },
      }),
    about: chosen?.targets.length ? `${chosen.id} ${heardAt ?? ""}` : null,
    version: `${state.revision} ${JSON.stringify(stretchS)}`,
    settleMs: SETTLE_MS,
    waits,
  });
  const glance = useMeasurement<{ glances: Glance[] }>({
    start: () =>
      server.POST("/api/sessions/{session_id}/ducks/glance", {
        params: { path: { session_id: state.id } },
        body: { stretch_s: stretchS },
      }),
    about: relations.length ? state.id : null,
    version: `${state.revision} ${JSON.stringify(stretchS)}`,
    settleMs: GLANCE_AFTER_MS,
  });
  const duck =
    chosen?.kind === "duck" ? state.document.ducks.find((item) => item.id === chosen.owner) : undefined;

  return (
    <chakra.div height="100%" display="flex" flexDirection="column" minHeight="0">
      <StationBar>
        <chakra.label display="flex" gap="6px" alignItems="center">
          <chakra.span color="quiet">about</chakra.span>
          <chakra.select
            aria-label="Sentences about"
            value={about ?? ""}
            height="target"
            bg="transparent"
            borderBottom="1px solid"
            borderColor="edge"
            onChange={(event) => setAbout(event.target.value || null)}
          >
            <option value="">all {relations.length}</option>
            {involved.map((id) => (
              <option key={id} value={id}>
                {strips.get(id)?.name ?? id}
              </option>
            ))}
          </chakra.select>
        </chakra.label>
        {listed.length > 0 && (
          <chakra.label display="flex" gap="6px" alignItems="center" minHeight="target" cursor="pointer">
            <chakra.input
              type="checkbox"
              checked={allOn}
              ref={(box: HTMLInputElement | null) => {
                if (box) box.indeterminate = !allOn && listed.some((item) => item.on);
              }}
              onChange={() =>
                void edit({
                  type: "set-parameters",
                  values: listed.map((item) => ({ address: item.switch, value: !allOn })),
                })
              }
            />
            <chakra.span color="quiet">all of them on</chakra.span>
          </chakra.label>
        )}
        <chakra.span flex="1" />
        <WithAndWithout relations={relations} />
        <PlainButton height="target" onClick={() => void makeGhost(open)}>
          New ghost…
        </PlainButton>
        <NewSentence onMade={setWanted} />
      </StationBar>
      <SentenceList
        relations={listed}
        chosen={chosen?.id}
        report={current ? result : null}
        glances={glance.result?.glances ?? []}
        current={glance.current}
        onChoose={setWanted}
      />
      {chosen ? (
        <chakra.div display="flex" flex="1" minHeight="0" borderTop="1px solid" borderColor="ink" bg="card">
          <chakra.div flex="1" minWidth="0" display="flex" flexDirection="column" padding="6px 0 6px 12px">
            <chakra.div display="flex" alignItems="center" gap="10px" height="28px">
              <chakra.h2 fontWeight="700">{duck ? duck.name : "Scope"}</chakra.h2>
              <chakra.span color="quiet" fontSize="small" role="status">
                {problem ??
                  (progress !== null || !current
                    ? chosen.targets.length
                      ? `measuring${progress ? ` ${Math.round(100 * progress)} %` : ""}`
                      : "no target yet"
                    : result && `${strips.get(result.target)?.name ?? ""}, measured on the real signal`)}
              </chakra.span>
              <chakra.span flex="1" />
              <Segments
                label="Stretch"
                options={loopS ? STRETCHES : STRETCHES.filter((item) => item !== "loop")}
                value={name === "loop" && !loopS ? "2 bars" : name}
                onChange={(next) => {
                  setName(next);
                  if (next === "2 bars") setBar(Math.floor(barsAt(grid, live.positionS() || durationS / 2)));
                }}
              />
            </chakra.div>
            {duck && <CurveEditor duck={duck} report={result} />}
            {result && <Scope report={result} dim={!current} withTrigger={result.trigger.length > 0} />}
          </chakra.div>
          <Side
            relation={chosen}
            duck={duck}
            report={result}
            current={current}
            heardAt={result?.target ?? null}
            onHear={setTarget}
          />
        </chakra.div>
      ) : (
        <chakra.p padding="40px" color="quiet" textStyle="title">
          Nothing makes room for anything yet. “New sentence…” lets one strip make room for another: by a
          keyed compressor, or by a curve that you draw over the beat.
        </chakra.p>
      )}
    </chakra.div>
  );
}
