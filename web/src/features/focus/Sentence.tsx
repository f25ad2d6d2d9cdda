import { chakra } from "@chakra-ui/react";

import type { Strip } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { focusStrip } from "../../app/store";
import { formatDb } from "../../lib/format";
import { walkChain } from "../level";

/** What the strip does, in words. */
export function Sentence({ strip }: { strip: Strip }) {
  const { strips } = useOpen();
  const listeners = [...strips.values()].filter((other) =>
    walkChain(other.chain).some(
      (processor) => processor.type === "compressor" && processor.key?.from === strip.id,
    ),
  );
  const keys = walkChain(strip.chain).flatMap((processor) => {
    const source = processor.type === "compressor" ? processor.key?.from : null;
    return source ? [strips.get(source)] : [];
  });
  const share = Math.round(100 * Math.abs(strip.pan.position));
  const place = share === 0 ? "centre" : `${share} % ${strip.pan.position < 0 ? "left" : "right"}`;
  const output = strip.output ? strips.get(strip.output) : undefined;
  return (
    <chakra.p padding="8px 12px" borderBottom="1px solid" borderColor="rule" lineHeight="1.45">
      {strip.kind === "mix" ? (
        <>Everything ends here, at {formatDb(strip.fader_db)} dB.</>
      ) : output ? (
        <>
          Plays to <Link strip={output} color="ink" />
          {strip.late && ", after its chain,"} at {formatDb(strip.fader_db)} dB, {place}.
        </>
      ) : (
        <>Plays nowhere.</>
      )}
      {strip.sends.length > 0 && <> Sends to </>}
      {strip.sends.map((send, index) => {
        const target = strips.get(send.to);
        return (
          <span key={send.id}>
            {index > 0 && " and "}
            {target && <Link strip={target} color="send" />} {formatDb(send.level_db)} dB
            {index === strip.sends.length - 1 && "."}
          </span>
        );
      })}
      {keys.map(
        (source) =>
          source && (
            <span key={source.id}>
              {" "}
              Makes room for <Link strip={source} color="key" />.
            </span>
          ),
      )}
      {listeners.length > 0 && (
        <chakra.span color="key">
          {" "}
          {listeners.map((other) => other.name).join(", ")} {listeners.length === 1 ? "listens" : "listen"} to
          it.
        </chakra.span>
      )}
    </chakra.p>
  );
}

function Link({ strip, color }: { strip: Strip; color: "ink" | "send" | "key" }) {
  return (
    <chakra.button
      type="button"
      fontWeight="700"
      color={color}
      borderBottom="1px solid"
      borderColor="edge"
      cursor="pointer"
      onClick={() => focusStrip(strip.id)}
    >
      {strip.name}
    </chakra.button>
  );
}
