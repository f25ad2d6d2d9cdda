import { chakra } from "@chakra-ui/react";

import { choicesOf } from "../../api/parameters";
import type { Strip } from "../../api/types";
import { useActing, useOpen } from "../../app/SessionContext";
import { focusStrip } from "../../app/store";
import { Choice } from "../../controls/Choice";
import { formatDb } from "../../lib/format";
import { wideLayout } from "../../lib/layouts";
import { useRelations } from "../../api/queries";
import { walkChain } from "../../lib/chains";

/** What the strip does, in words. */
export function Sentence({ strip }: { strip: Strip }) {
  const { strips, state } = useOpen();
  const { data: relations = [] } = useRelations(state.id, state.revision);
  const listening = relations.filter((relation) => relation.trigger === strip.id);
  const listeners = [...new Set(listening.flatMap((relation) => relation.targets))].flatMap(
    (id) => strips.get(id) ?? [],
  );
  const sources = walkChain(strip.chain).flatMap(
    (processor) => ("key" in processor ? processor.key.from : null) ?? [],
  );
  const keys = [...new Set(sources)].map((source) => strips.get(source));
  const share = Math.round(100 * Math.abs(strip.pan.position));
  const place = share === 0 ? "centre" : `${share} % ${strip.pan.position < 0 ? "left" : "right"}`;
  const wide = wideLayout(strip);
  const output = strip.output ? strips.get(strip.output) : undefined;
  return (
    <chakra.p padding="8px 12px" borderBottom="1px solid" borderColor="rule" lineHeight="1.45">
      {strip.kind === "mix" ? (
        <>
          Everything ends here, at {formatDb(strip.fader_db)} dB
          {wide && ", and is heard folded down to two channels"}.
        </>
      ) : output ? (
        <>
          Plays to <Link strip={output} color="ink" />
          {strip.late && ", after its chain,"} at {formatDb(strip.fader_db)} dB
          {!wide && `, ${place}`}.
        </>
      ) : (
        <>{strip.kind === "ghost" ? "Never heard: it clicks for those who listen." : "Plays nowhere."}</>
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
      <Channels strip={strip} />
    </chakra.p>
  );
}

/** What a strip takes from its source, and how many channels it works on. */
function Channels({ strip }: { strip: Strip }) {
  const { edit } = useActing();
  const set = (values: { input?: Strip["input"]; layout?: Strip["layout"] }) =>
    void edit({ type: "set-strips", changes: [{ strip: strip.id, ...values }] });
  const playsClips = strip.kind === "track" || strip.kind === "ghost";
  const own = playsClips ? "its files’ channels" : "two channels";
  // What two channels are has a name of its own, and one channel is what the input makes of them.
  const layouts = choicesOf("strip", "layout").filter(
    (name) => playsClips || (name !== "mono" && name !== "stereo"),
  );
  return (
    <>
      {" "}
      Takes{" "}
      <Choice
        label={`Input of ${strip.name}`}
        value={strip.input}
        options={choicesOf("strip", "input").map((value) => ({ value, label: INPUTS[value] ?? value }))}
        onChange={(value) => set({ input: value as Strip["input"] })}
      />{" "}
      of{" "}
      <Choice
        label={`Channels of ${strip.name}`}
        value={strip.layout ?? ""}
        options={[{ value: "", label: own }, ...layouts.map((name) => ({ value: name, label: name }))]}
        onChange={(value) => set({ layout: (value || null) as Strip["layout"] })}
      />
      .
    </>
  );
}

const INPUTS: Record<string, string> = {
  "as-is": "all",
  "mono-sum": "the sum",
  left: "the left",
  right: "the right",
  mid: "the middle",
  side: "the side",
  swap: "the swapped sides",
};

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
