import { chakra } from "@chakra-ui/react";
import { useRef } from "react";

import { usePrintChoices } from "../../api/queries";
import { renameSession } from "../../app/commands";
import { openSession } from "../../app/location";
import { useConnected, useOpen, useTransport } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { useEachFrame } from "../../lib/animation";
import { formatNumber, formatReading, formatTime } from "../../lib/format";
import { barAndBeat, barRange } from "../../lib/beatGrid";
import { noteSign } from "../../lib/music";
import { useTheme } from "../../theme/useTheme";
import { Monitor } from "./Monitor";

/** Session, history, transport and loudness. */
export function TopLine() {
  const open = useOpen();
  const { state, live, step, grid } = open;
  const transport = useTransport();
  const connected = useConnected();
  const tempo = state.document.tempo[0];
  const theme = useTheme();
  const loop = transport.loopS;
  return (
    <chakra.header
      gridColumn="1 / -1"
      display="flex"
      alignItems="center"
      gap="10px"
      padding="0 12px"
      bg="card"
      borderBottom="1px solid"
      borderColor="rule"
      whiteSpace="nowrap"
      overflow="hidden"
    >
      <chakra.button
        type="button"
        fontSize="title"
        fontWeight="700"
        cursor="pointer"
        title="All sessions"
        onClick={() => openSession("")}
      >
        Gemischt
      </chakra.button>
      <chakra.button
        type="button"
        fontStyle="italic"
        maxWidth="160px"
        flexShrink="0"
        overflow="hidden"
        textOverflow="ellipsis"
        cursor="pointer"
        title="Rename this session"
        onClick={() => void renameSession(open)}
      >
        {state.document.name}
      </chakra.button>
      <HistoryButton
        label="Undo"
        sign="M8 5 3 10l5 5M3 10h9a5 5 0 0 1 0 10H9"
        hint={state.undo}
        onClick={() => step("undo")}
      />
      <HistoryButton
        label="Redo"
        sign="m16 5 5 5-5 5M21 10h-9a5 5 0 0 0 0 10h3"
        hint={state.redo}
        onClick={() => step("redo")}
      />
      <chakra.span
        color="quiet"
        width="130px"
        overflow="hidden"
        textOverflow="ellipsis"
        data-testid="last-edit"
        title={state.undo ?? ""}
      >
        {state.undo}
      </chakra.span>
      <chakra.button
        type="button"
        aria-label={transport.playing ? "Stop" : "Play"}
        aria-pressed={transport.playing}
        width="28px"
        height="28px"
        borderRadius="50%"
        bg="ink"
        color="card"
        flexShrink="0"
        display="grid"
        placeItems="center"
        cursor="pointer"
        onClick={() => live.toggle()}
      >
        <svg width="12" height="12" viewBox="0 0 12 12" fill="currentColor" aria-hidden>
          <path d={transport.playing ? "M1 1h10v10H1z" : "M2 0l10 6-10 6z"} />
        </svg>
      </chakra.button>
      <Position />
      {tempo && (
        <chakra.button
          type="button"
          height="target"
          cursor="pointer"
          title="Type or tap the tempo, choose the metre"
          onClick={() => useView.setState({ dialog: "tempo" })}
        >
          {noteSign(tempo.beat)} = <chakra.span textStyle="number">{tempo.bpm}</chakra.span>
          <chakra.span color="quiet"> · {tempo.metre}</chakra.span>
        </chakra.button>
      )}
      <chakra.button
        type="button"
        minWidth="70px"
        height="target"
        borderBottom="2px solid"
        borderColor={loop ? "focus" : "transparent"}
        color={loop ? "focus" : "quiet"}
        title={loop ? "Play on without the loop" : "Drag over the song line to loop a stretch"}
        cursor="pointer"
        onClick={() => live.loop(null)}
      >
        {loop ? `loop ${barRange(grid, loop)}` : "no loop"}
      </chakra.button>
      <Loudness />
      <chakra.div flex="1" />
      {!connected && (
        <chakra.span role="status" color="over" fontWeight="700">
          ⚠ not connected, trying again
        </chakra.span>
      )}
      <Monitor />
      <PlainButton title="Change between paper and night (N)" onClick={theme.toggle}>
        {theme.theme === "paper" ? "to night" : "to paper"}
      </PlainButton>
      <PlainButton
        aria-label="List of keys"
        title="Keys (?)"
        onClick={() => useView.setState({ dialog: "keys" })}
      >
        ?
      </PlainButton>
    </chakra.header>
  );
}

type HistoryButtonProps = { label: string; sign: string; hint: string | null; onClick: () => void };

function HistoryButton({ label, sign, hint, onClick }: HistoryButtonProps) {
  return (
    <chakra.button
      type="button"
      aria-label={label}
      title={hint ? `${label}: ${hint}` : `Nothing to ${label.toLowerCase()}`}
      disabled={!hint}
      minWidth="target"
      height="target"
      color={hint ? "ink" : "rule"}
      cursor={hint ? "pointer" : "default"}
      onClick={onClick}
    >
      <svg
        width="18"
        height="18"
        viewBox="0 0 24 24"
        fill="none"
        stroke="currentColor"
        strokeWidth="2"
        aria-hidden
      >
        <path d={sign} />
      </svg>
    </chakra.button>
  );
}

/** Text that follows the sound without React. */
function useTicker(update: (element: HTMLElement) => void) {
  const ref = useRef<HTMLSpanElement>(null);
  useEachFrame(() => {
    if (ref.current) update(ref.current);
  }, "wandering");
  return ref;
}

function setText(element: Element | null | undefined, text: string) {
  if (element && element.textContent !== text) element.textContent = text;
}

function Position() {
  const { live, grid } = useOpen();
  const ref = useTicker((element) => {
    const positionS = live.positionS();
    setText(element.children[0], barAndBeat(grid, positionS));
    setText(element.children[1], formatTime(positionS));
  });
  return (
    <chakra.span ref={ref} textStyle="number" aria-label="Position">
      <chakra.span display="inline-block" minWidth="58px" fontSize="title" fontWeight="700" />
      <chakra.span
        display="inline-block"
        minWidth="58px"
        color="quiet"
        textAlign="right"
        data-testid="position"
      />
    </chakra.span>
  );
}

const READINGS = ["M", "S", "I", "TP"] as const;
const TITLES = {
  M: "Momentary loudness of the mix, LUFS",
  S: "Short-term loudness of the mix, LUFS",
  I: "Integrated loudness of the mix since Play, LUFS",
  TP: "Highest true peak of the mix since Play, dBTP",
};

/** Loudness and true peak as they are heard; beside them what is asked for, once the session is meant for something. */
function Loudness() {
  const { live, state } = useOpen();
  const { data: choices } = usePrintChoices(state.id, state.revision);
  const target = choices?.targets.find((item) => item.id === state.document.meant_for);
  const asked: Partial<Record<(typeof READINGS)[number], [least: number, most: number, words: string]>> = {};
  if (target?.lufs != null) {
    const within = target.within_lu ?? 0;
    asked.I = [target.lufs - within, target.lufs + within, formatNumber(target.lufs, 0)];
  }
  if (target?.at_most_dbtp != null)
    asked.TP = [-Infinity, target.at_most_dbtp, `≤ ${formatNumber(target.at_most_dbtp, 0)}`];
  const shownAt = useRef(0);
  const ref = useTicker((element) => {
    const now = performance.now();
    const frame = live.frame();
    if (!frame || now - shownAt.current < 100) return;
    shownAt.current = now;
    READINGS.forEach((reading, index) => {
      const level = frame.mix[index] ?? null;
      const shown = element.children[index];
      setText(shown?.children[0], formatReading(level));
      const [least, most] = asked[reading] ?? [-Infinity, Infinity];
      const isOff = level !== null && level > -100 && (level < least || level > most);
      shown?.children[1]?.setAttribute("data-off", String(isOff));
    });
  });
  return (
    <chakra.span ref={ref} display="inline-flex" gap="10px" data-testid="loudness">
      {READINGS.map((reading) => (
        <chakra.span
          key={reading}
          color="quiet"
          title={
            asked[reading]
              ? `${TITLES[reading]}; ${target?.name ?? ""} asks for ${asked[reading][2]}`
              : TITLES[reading]
          }
        >
          {reading}{" "}
          <chakra.span
            textStyle="number"
            color="ink"
            display="inline-block"
            minWidth="42px"
            textAlign="right"
          >
            −∞
          </chakra.span>
          {asked[reading] && (
            <chakra.span
              textStyle="number"
              fontSize="small"
              marginLeft="6px"
              color="atText"
              css={{ "&[data-off=true]": { color: "hotText" } }}
              data-testid={`asked-${reading}`}
            >
              {asked[reading][2]}
            </chakra.span>
          )}
        </chakra.span>
      ))}
    </chakra.span>
  );
}
