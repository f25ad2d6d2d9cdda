import { chakra } from "@chakra-ui/react";
import { useMemo, useState } from "react";

import { server } from "../../api/client";
import { useMeasurement } from "../../api/useMeasurement";
import type { Strip } from "../../api/types";
import { toggleMode, useMonitor } from "../../app/monitoring";
import { useOpen } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { Segments } from "../../controls/Segments";
import { StationBar } from "../../controls/StationBar";
import { formatNumber } from "../../lib/format";
import { wideLayout } from "../../lib/layouts";
import { BandCorrelation } from "./BandCorrelation";
import { BedDetails } from "./BedDetails";
import { BedView } from "./BedView";
import { Goniometer } from "./Goniometer";
import { PanDrawing } from "./PanDrawing";
import { PlaceTable } from "./PlaceTable";
import type { StagePlace, StageReport } from "./report";
import { Settings } from "./Settings";
import { SpreadPicked } from "./SpreadPicked";
import { StageView } from "./StageView";

const SETTLE_MS = 80;
const SHOWS = ["measured", "as set"] as const;
const NO_BEDS: Record<string, string> = {};
const FACES = ["stage", "height"] as const;
const RANGES = ["below 200 Hz", "200 Hz to 4 kHz", "above 4 kHz"];

/** Where every strip stands: heard, measured, and seen as a stage. */
export function Place() {
  const { state, strips, live } = useOpen();
  const focused = useView((view) => view.focused);
  const selected = useView((view) => view.selected);
  const mode = useMonitor((monitor) => monitor.mode);
  const [shows, setShows] = useState<(typeof SHOWS)[number]>("measured");
  const [face, setFace] = useState<(typeof FACES)[number]>("stage");
  const [foreseen, setForeseen] = useState<Map<string, Strip> | null>(null);
  const { result, current, progress, problem } = useMeasurement<StageReport>({
    start: () =>
      server.POST("/api/sessions/{session_id}/stage", { params: { path: { session_id: state.id } } }),
    about: state.id,
    version: state.revision,
    settleMs: SETTLE_MS,
  });
  const places = useMemo(() => new Map(result?.places.map((place) => [place.strip, place])), [result]);
  const heard = useMemo(() => [...strips.values()].filter((strip) => strip.kind !== "ghost"), [strips]);
  const strip = strips.get(focused);
  const place = places.get(focused);
  const mixStrip = heard.find((item) => item.kind === "mix");
  const mix = places.get(mixStrip?.id ?? "");
  const bed = mixStrip && wideLayout(mixStrip);
  const picked = heard.filter((item) => selected.has(item.id) && item.kind !== "mix");
  return (
    <chakra.div height="100%" display="flex" flexDirection="column" minHeight="0">
      <StationBar>
        {bed && <Segments label="Face" options={FACES} value={face} onChange={setFace} />}
        <chakra.span color="quiet">shows</chakra.span>
        <Segments label="Shows" options={SHOWS} value={shows} onChange={setShows} />
        <chakra.span color="quiet" role="status">
          {problem ?? (current ? "" : `${result ? "measuring" : "as set, measuring"}${percentOf(progress)}`)}
        </chakra.span>
        <chakra.span flex="1" />
        {picked.length > 1 ? (
          <SpreadPicked picked={picked} places={places} stale={!current} onForeseen={setForeseen} />
        ) : (
          <chakra.span color="quiet">Pick several to mirror them or to fan them out</chakra.span>
        )}
        <PlainButton
          height="target"
          aria-pressed={mode === "mono"}
          bg={mode === "mono" ? "wash" : "transparent"}
          title="Not printed"
          onClick={() => toggleMode(live, "mono")}
        >
          Hear in mono
        </PlainButton>
        <PlainButton
          height="target"
          aria-pressed={mode === "side"}
          bg={mode === "side" ? "wash" : "transparent"}
          title="The difference of both sides alone; not printed"
          onClick={() => toggleMode(live, "side")}
        >
          What mono takes away
        </PlainButton>
      </StationBar>
      <chakra.div display="grid" gridTemplateColumns="minmax(0, 1fr) 516px" flex="1" minHeight="0">
        <chakra.div position="relative" minWidth="0" overflow="auto">
          {bed ? (
            <BedView
              face={face === "height" ? "behind" : "above"}
              loudspeakers={result?.layouts[bed] ?? []}
              places={places}
              beds={result?.beds ?? NO_BEDS}
              strips={heard}
              foreseen={foreseen}
              asSet={shows === "as set" || !result}
              stale={shows === "measured" && !current}
            />
          ) : (
            <StageView
              places={places}
              strips={heard}
              foreseen={foreseen}
              asSet={shows === "as set" || !result}
              stale={shows === "measured" && !current}
            />
          )}
          {mix && !bed && <HowWide place={mix} stale={!current} />}
        </chakra.div>
        <chakra.div
          display="flex"
          flexDirection="column"
          minHeight="0"
          borderLeft="1px solid"
          borderColor="rule"
          bg="card"
        >
          <PlaceTable strips={heard} places={places} beds={result?.beds ?? NO_BEDS} stale={!current} />
          <chakra.section
            aria-label="The focused strip’s place"
            display="flex"
            flexDirection="column"
            gap="6px"
            fontSize="small"
            padding="8px 12px"
            borderTop="1px solid"
            borderColor="ink"
            flexShrink="0"
          >
            <chakra.div display="flex" gap="14px">
              {strip && <Goniometer strip={strip.id} name={strip.name} />}
              <chakra.div fontSize="small" minWidth="0">
                <chakra.h2 fontWeight="700">{strip?.name ?? ""}</chakra.h2>
                {strip && place && (
                  <chakra.div display="flex" gap="10px">
                    {bed && place.bed ? (
                      <BedDetails
                        bed={place.bed}
                        loudspeakers={result?.layouts[place.bed.layout] ?? []}
                        stale={!current}
                      />
                    ) : (
                      <>
                        <PanDrawing strip={strip} gains={place.gains} />
                        <BandCorrelation
                          bandsHz={result?.bands_hz ?? []}
                          correlations={place.band_correlations}
                          stale={!current}
                        />
                      </>
                    )}
                  </chakra.div>
                )}
                {place && (
                  <chakra.p color="quiet" opacity={current ? 1 : 0.5}>
                    correlation {formatNumber(place.correlation ?? 1, 2)} · loses{" "}
                    {formatNumber(Math.max(0, place.mono_loss_db), 1)} dB in mono
                    {bed ? ", folded down" : ""}
                    {strip?.kind === "track" &&
                      (place.wet_db === null ? " · dry" : ` · ${formatNumber(place.wet_db, 0)} dB wet`)}
                  </chakra.p>
                )}
              </chakra.div>
            </chakra.div>
            {strip && <Settings strip={strip} place={current ? (place ?? null) : null} />}
          </chakra.section>
        </chakra.div>
      </chakra.div>
    </chakra.div>
  );
}

function percentOf(progress: number | null): string {
  return progress ? ` ${Math.round(100 * progress)} %` : "";
}

/** How much of the mix comes from outside the middle third, in three ranges. */
function HowWide({ place, stale }: { place: StagePlace; stale: boolean }) {
  return (
    <chakra.section
      aria-label="How wide is the sound"
      position="absolute"
      left="16px"
      bottom="10px"
      width="160px"
      fontSize="small"
      opacity={stale ? 0.5 : 1}
    >
      <chakra.h2 fontWeight="700">How wide is the sound</chakra.h2>
      {RANGES.map((name, range) => {
        const percent = Math.round(100 * (place.outside[range] ?? 0));
        return (
          <chakra.div key={name}>
            <chakra.div display="flex" justifyContent="space-between">
              <span>{name}</span>
              <chakra.span textStyle="number">{percent} %</chakra.span>
            </chakra.div>
            <chakra.div height="5px" bg="rule">
              <chakra.div height="5px" bg="under" style={{ width: `${percent}%` }} />
            </chakra.div>
          </chakra.div>
        );
      }).reverse()}
      <chakra.p color="quiet">Share from outside the middle third.</chakra.p>
    </chakra.section>
  );
}
