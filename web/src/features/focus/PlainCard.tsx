import { chakra } from "@chakra-ui/react";
import { useCallback, useEffect, useRef } from "react";

import { MATRICES } from "../../api/parameters";
import type { Processor, ProcessorValues, Strip } from "../../api/types";
import { useActing } from "../../app/SessionContext";
import type { Colors } from "../../canvas/colors";
import { useCanvas } from "../../canvas/useCanvas";
import { Choice } from "../../controls/Choice";
import { LetterToggle } from "../../controls/LetterToggle";
import { formatNumber } from "../../lib/format";
import { Parameters } from "./Parameters";
import { useCurve } from "./useCurve";

type Plain = Exclude<
  Processor,
  { type: "parallel" } | { type: "eq" } | { type: "compressor" } | { type: "gate" }
>;

/** A processor whose parameters say it all: saturator, limiter, gain, matrix, delay, reverb. */
export function PlainCard({ strip, processor }: { strip: Strip; processor: Plain }) {
  const curve = useCurve(processor.id);
  const { edit } = useActing();
  const action = (values: ProcessorValues) => ({
    type: "set-processor" as const,
    strip: strip.id,
    processor: processor.id,
    ...values,
  });
  const inTime = processor.type === "delay" && processor.params.note && curve?.time_ms;
  return (
    <>
      {processor.type === "saturator" && <Bend curve={curve?.curve ?? []} />}
      {processor.type === "matrix" && (
        <Choice
          label="A matrix to start from"
          value={Object.keys(MATRICES).find((name) => isAlike(MATRICES[name], processor.params)) ?? ""}
          width="100%"
          options={[
            { value: "", label: "own gains" },
            ...Object.keys(MATRICES).map((name) => ({ value: name, label: name })),
          ]}
          onChange={(name) => MATRICES[name] && void edit(action({ params: MATRICES[name] }))}
        />
      )}
      {processor.type === "limiter" && <Held processorId={processor.id} />}
      <Parameters
        kind={processor.type}
        params={processor.params}
        action={action}
        address={`strips/${strip.id}/chain/${processor.id}`}
        instead={inTime ? { time_ms: `${formatNumber(inTime, 0)} ms` } : undefined}
      />
      {strip.kind === "return" && (processor.type === "delay" || processor.type === "reverb") && (
        <DuckedByInput strip={strip} />
      )}
    </>
  );
}

/** What a return answers makes way for what it answers to: a compressor at its end that hears what comes in. */
function DuckedByInput({ strip }: { strip: Strip }) {
  const { edit } = useActing();
  const duck = strip.chain.find((item) => item.type === "compressor" && item.key?.from === strip.id);
  return (
    <chakra.div
      display="flex"
      justifyContent="space-between"
      alignItems="center"
      fontSize="small"
      height="24px"
    >
      <chakra.span color="quiet">ducked by what feeds it</chakra.span>
      <LetterToggle
        letter={duck ? "on" : "off"}
        label="ducked by what feeds it"
        tone="focus"
        on={Boolean(duck)}
        onToggle={() =>
          void edit(
            duck
              ? { type: "remove-processor", strip: strip.id, processor: duck.id }
              : {
                  type: "make-room",
                  targets: [strip.id],
                  trigger: strip.id,
                  way: "make-room-for-fills",
                },
          )
        }
      />
    </chakra.div>
  );
}

function isAlike(matrix: Record<string, number> | undefined, params: Record<string, unknown>): boolean {
  return Object.entries(matrix ?? {}).every(([name, gain]) => params[name] === gain);
}

/** Sample value out over sample value in. */
function Bend({ curve }: { curve: number[] }) {
  const { ref } = useCanvas(
    useCallback(
      (context: CanvasRenderingContext2D, widthPx: number, heightPx: number, colors: Colors) => {
        const y = (value: number) => heightPx / 2 - value * (heightPx / 2 - 2);
        context.strokeStyle = colors.rule;
        context.beginPath();
        context.moveTo(0, y(-1));
        context.lineTo(widthPx, y(1));
        context.moveTo(0, y(0));
        context.lineTo(widthPx, y(0));
        context.stroke();
        context.strokeStyle = colors.ink;
        context.lineWidth = 1.6;
        context.beginPath();
        curve.forEach((value, index) => context.lineTo((index / (curve.length - 1)) * widthPx, y(value)));
        context.stroke();
      },
      [curve],
    ),
    false,
  );
  return <chakra.canvas ref={ref} width="100%" height="56px" aria-label="Bend of the wave" />;
}

/** How far the limiter holds the signal down at this moment. */
function Held({ processorId }: { processorId: string }) {
  const { live } = useActing();
  const ref = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const timer = setInterval(() => {
      const { reductionDb } = live.reading(live.frame(), processorId);
      if (ref.current) ref.current.textContent = formatNumber(-reductionDb, 1);
    }, 100);
    return () => clearInterval(timer);
  }, [live, processorId]);
  return (
    <chakra.div fontSize="small" color="quiet" textAlign="right">
      holds down{" "}
      <chakra.span ref={ref} textStyle="number" fontWeight="700" color="ink">
        0.0
      </chakra.span>{" "}
      dB
    </chakra.div>
  );
}
