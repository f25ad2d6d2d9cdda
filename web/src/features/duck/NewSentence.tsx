import { chakra } from "@chakra-ui/react";
import { useState, type PointerEvent } from "react";

import { server } from "../../api/client";
import { useWays } from "../../api/queries";
import { useMeasurement } from "../../api/useMeasurement";
import type { Strip, Way, Wish } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { useView } from "../../app/store";
import { followPointer } from "../../controls/followPointer";
import { PlainButton } from "../../controls/PlainButton";
import { walkChain } from "../../lib/chains";
import { Panel } from "../session";

type Proposal = { way: Way["way"]; why: string; meets: boolean; edit: Wish };
type Side = "target" | "trigger";

/** Let a strip make room: which one, for which, and how. */
export function NewSentence({ onMade }: { onMade: (relation: string) => void }) {
  const [asking, setAsking] = useState(false);
  return (
    <>
      <PlainButton height="target" onClick={() => setAsking(true)}>
        New sentence…
      </PlainButton>
      {asking && <Question onMade={onMade} onClose={() => setAsking(false)} />}
    </>
  );
}

function Question({ onMade, onClose }: { onMade: (relation: string) => void; onClose: () => void }) {
  const { strips, state, edit, now } = useOpen();
  const { data: ways = [] } = useWays();
  const focused = useView((view) => view.focused);
  const others = [...strips.values()].filter((strip) => strip.kind !== "mix");
  const targets = others.filter((strip) => strip.kind !== "ghost");
  const [target, setTarget] = useState(targets.some((strip) => strip.id === focused) ? focused : "");
  const [trigger, setTrigger] = useState("");
  const isFed = (strip: Strip | undefined) => strip?.kind === "bus" || strip?.kind === "return";
  const triggers = others.filter((strip) => strip.id !== target || isFed(strip));
  const ready = target !== "" && trigger !== "";
  const ofItself = target === trigger;
  const { result, current, progress, problem } = useMeasurement<Proposal>({
    start: () =>
      server.POST("/api/sessions/{session_id}/ducks/proposal", {
        params: { path: { session_id: state.id } },
        body: { target, trigger },
      }),
    about: ready && !ofItself ? `${target} ${trigger}` : null,
    version: state.revision,
    settleMs: 100,
  });
  const proposal = current ? result : null;
  const make = async (wish: Wish) => {
    const before = new Set(now().document.ducks.map((duck) => duck.id));
    if (!(await edit(wish))) return;
    onClose();
    const { document } = now();
    const duck = document.ducks.find((item) => !before.has(item.id));
    const chain = walkChain(document.strips.find((strip) => strip.id === target)?.chain ?? []);
    const added = chain.findLast((item) => "key" in item && item.key.from === trigger);
    const band = chain.findLast(
      (item) => item.type === "eq" && item.params.bands.some((one) => one.motion?.key.from === trigger),
    );
    const inEq = wish.type === "make-room" && wish.way === "one-band" ? band : undefined;
    onMade(duck ? `ducks/${duck.id}` : inEq ? `${target}/${inEq.id}/b1` : `${target}/${added?.id ?? ""}`);
  };
  const pick = (side: Side, id: string) => {
    if (side === "target") {
      setTarget(id);
      if (id === trigger && !isFed(strips.get(id))) setTrigger("");
    } else setTrigger(id);
  };
  const drag = (event: PointerEvent<HTMLElement>, from: string) =>
    followPointer(event, {
      onMove: () => undefined,
      onEnd: (released) => {
        const over = released && document.elementFromPoint(released.clientX, released.clientY);
        const id = over?.closest<HTMLElement>("[data-trigger]")?.dataset.trigger;
        if (!id) return;
        pick("target", from);
        setTrigger(id);
      },
    });
  const name = (id: string) => strips.get(id)?.name ?? "…";
  return (
    <Panel title="Who makes room for whom?" onClose={onClose} wide>
      <chakra.div display="grid" gridTemplateColumns="190px 190px 1fr" gap="14px" height="440px">
        <Choices
          label="Makes room"
          strips={targets}
          chosen={target}
          onPick={(id) => pick("target", id)}
          onDrag={drag}
        />
        <Choices
          label="For"
          strips={triggers}
          chosen={trigger}
          onPick={(id) => pick("trigger", id)}
          nameOf={(strip) => (strip.id === target ? "what feeds it" : strip.name)}
          isTrigger
        />
        <chakra.div minWidth="0" overflowY="auto">
          <chakra.h3 fontWeight="700">How</chakra.h3>
          {!ready && (
            <chakra.p color="quiet">
              Choose on the left, or drag from a strip that makes room to the one that is to be heard.
            </chakra.p>
          )}
          {ready && !ofItself && (
            <chakra.div
              role="status"
              aria-label="Proposal"
              margin="4px 0 8px"
              padding="8px"
              border="1px solid"
              borderColor={proposal?.meets ? "focus" : "rule"}
              borderRadius="small"
              bg="sheet"
            >
              {proposal ? (
                <>
                  <chakra.p>{proposal.why}</chakra.p>
                  <PlainButton height="30px" marginTop="6px" onClick={() => void make(proposal.edit)}>
                    {ways.find((item) => item.way === proposal.way)?.label ?? proposal.way}
                  </PlainButton>
                </>
              ) : (
                <chakra.span color="quiet">
                  {problem ??
                    `Listening to ${name(target)} and ${name(trigger)}${progress ? ` ${Math.round(100 * progress)} %` : ""} …`}
                </chakra.span>
              )}
            </chakra.div>
          )}
          {ready && (
            <chakra.div display="grid" gap="4px">
              {ways.map((item) => (
                <PlainButton
                  key={item.way}
                  height="30px"
                  textAlign="left"
                  onClick={() => void make({ type: "make-room", targets: [target], trigger, way: item.way })}
                >
                  {item.label}
                </PlainButton>
              ))}
            </chakra.div>
          )}
        </chakra.div>
      </chakra.div>
    </Panel>
  );
}

type ChoicesProps = {
  label: string;
  strips: Strip[];
  chosen: string;
  onPick: (id: string) => void;
  nameOf?: (strip: Strip) => string;
  onDrag?: (event: PointerEvent<HTMLElement>, id: string) => void;
  isTrigger?: boolean;
};

function Choices({ label, strips, chosen, onPick, onDrag, isTrigger, nameOf }: ChoicesProps) {
  return (
    <chakra.fieldset minWidth="0" display="flex" flexDirection="column" minHeight="0">
      <chakra.legend fontWeight="700">{label}</chakra.legend>
      <chakra.div overflowY="auto" minHeight="0">
        {strips.map((strip) => {
          const name = nameOf?.(strip) ?? strip.name;
          return (
            <chakra.label
              key={strip.id}
              data-trigger={isTrigger ? strip.id : undefined}
              display="flex"
              alignItems="center"
              gap="6px"
              height="target"
              padding="0 4px"
              borderRadius="small"
              bg={strip.id === chosen ? "wash" : "transparent"}
              cursor="pointer"
              touchAction="none"
              userSelect="none"
              onPointerDown={(event) => onDrag?.(event, strip.id)}
            >
              <chakra.input
                type="radio"
                name={label}
                checked={strip.id === chosen}
                onChange={() => onPick(strip.id)}
              />
              <chakra.span width="5px" height="15px" flexShrink="0" style={{ background: strip.color }} />
              <chakra.span overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
                {name}
              </chakra.span>
            </chakra.label>
          );
        })}
      </chakra.div>
    </chakra.fieldset>
  );
}
