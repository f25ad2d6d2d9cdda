import { chakra } from "@chakra-ui/react";
import { useEffect, useRef, useState, type KeyboardEvent } from "react";

import { followPointer } from "../../controls/followPointer";
import { CONTROLLER_CHANNEL, faderMessage, FADERS, padMessage, PADS } from "../../lib/midi";

const TRAVEL_PX = 220;
const STEP = 1 / 64;
const STRUCK = 0.8;

/** Eight faders and eight pads for those without a controller: what they send is what a plugged-in one would. */
export function ControllerPage() {
  const channel = useRef<BroadcastChannel | null>(null);
  useEffect(() => {
    const opened = new BroadcastChannel(CONTROLLER_CHANNEL);
    channel.current = opened;
    document.title = "Controller · Gemischt";
    return () => opened.close();
  }, []);
  const send = (bytes: number[]) => channel.current?.postMessage(bytes);
  return (
    <chakra.main padding="24px" maxWidth="720px" margin="0 auto">
      <chakra.h1 fontSize="title" fontWeight="700">
        Controller
      </chakra.h1>
      <chakra.p color="quiet" margin="4px 0 20px">
        Stands in for one that is plugged in. Keep it beside the session: there, switch <em>learn</em> on,
        touch a control, then move a fader here.
      </chakra.p>
      <chakra.div display="grid" gridTemplateColumns={`repeat(${FADERS}, 1fr)`} gap="12px">
        {Array.from({ length: FADERS }, (_, index) => (
          <SimulatedFader key={index} index={index} onMove={(share) => send(faderMessage(index, share))} />
        ))}
      </chakra.div>
      <chakra.div display="grid" gridTemplateColumns={`repeat(${PADS / 2}, 1fr)`} gap="12px" marginTop="24px">
        {Array.from({ length: PADS }, (_, index) => (
          <chakra.button
            key={index}
            type="button"
            height="72px"
            border="1px solid"
            borderColor="edge"
            borderRadius="small"
            bg="card"
            cursor="pointer"
            touchAction="none"
            _active={{ bg: "wash", borderColor: "focus" }}
            onPointerDown={() => send(padMessage(index, STRUCK))}
            onKeyDown={(event) => {
              if (event.repeat || (event.key !== "Enter" && event.key !== " ")) return;
              event.preventDefault();
              send(padMessage(index, STRUCK));
            }}
          >
            Pad {index + 1}
          </chakra.button>
        ))}
      </chakra.div>
    </chakra.main>
  );
}

function SimulatedFader({ index, onMove }: { index: number; onMove: (share: number) => void }) {
  const [share, setShare] = useState(0.75);
  const put = (wanted: number) => {
    const next = Math.min(1, Math.max(0, wanted));
    setShare(next);
    onMove(next);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const steps = { ArrowUp: 1, ArrowDown: -1, PageUp: 8, PageDown: -8 }[event.key];
    if (!steps) return;
    event.preventDefault();
    put(share + steps * STEP);
  };
  return (
    <chakra.div display="grid" justifyItems="center" gap="8px">
      <chakra.div
        role="slider"
        tabIndex={0}
        aria-label={`Fader ${index + 1}`}
        aria-orientation="vertical"
        aria-valuemin={0}
        aria-valuemax={127}
        aria-valuenow={Math.round(127 * share)}
        position="relative"
        width="44px"
        height={`${TRAVEL_PX + 20}px`}
        cursor="ns-resize"
        touchAction="none"
        onPointerDown={(event) => {
          const start = share;
          followPointer(event, {
            onMove: (_, __, dyPx) => put(start - dyPx / TRAVEL_PX),
            onEnd: () => undefined,
          });
        }}
        onKeyDown={onKeyDown}
      >
        <chakra.div position="absolute" left="21px" top="10px" bottom="10px" width="2px" bg="rule" />
        <chakra.div
          position="absolute"
          left="8px"
          width="28px"
          height="10px"
          borderRadius="1px"
          bg="ink"
          style={{ top: `${5 + (1 - share) * TRAVEL_PX}px` }}
        />
      </chakra.div>
      <chakra.span textStyle="number" color="quiet">
        {index + 1}
      </chakra.span>
    </chakra.div>
  );
}
