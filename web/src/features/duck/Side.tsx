import { chakra } from "@chakra-ui/react";
import type { ReactNode } from "react";

import type { Duck, Eq, Relation } from "../../api/types";
import { Cure } from "../../app/Cure";
import { useOpen } from "../../app/SessionContext";
import { askWhich } from "../../app/store";
import { PlainButton } from "../../controls/PlainButton";
import { walkChain } from "../../lib/chains";
import { formatDb, formatNumber } from "../../lib/format";
import { EqCard } from "../focus";
import { DuckSettings } from "./DuckSettings";
import { FollowerSettings } from "./FollowerSettings";
import { HearKey } from "./HearKey";
import { KeyedSettings } from "./KeyedSettings";
import { OnlyWhen } from "./OnlyWhen";
import type { DuckReport } from "./report";

type SideProps = {
  relation: Relation;
  duck: Duck | undefined;
  report: DuckReport | null;
  current: boolean;
  heardAt: string | null;
  onHear: (strip: string) => void;
};

/** What the chosen sentence is set to, what was measured of it, and what can be done with it. */
export function Side({ relation, duck, report, current, heardAt, onHear }: SideProps) {
  const { strips, edit, state } = useOpen();
  /** Whether it moves a parameter, not the whole signal. */
  const moves = relation.kind === "follower" || relation.kind === "band";
  const owner = strips.get(relation.targets[0] ?? "");
  const equaliser = walkChain(owner?.chain ?? []).find(
    (item): item is Eq => item.id === relation.owner && item.type === "eq",
  );
  const putOn = async () => {
    const taken = new Set([...relation.targets, relation.trigger ?? ""]);
    const others = [...strips.values()].filter((strip) => !taken.has(strip.id) && strip.kind !== "ghost");
    const strip = await askWhich(
      "Which strip is to make room, too?",
      others.map((item) => ({ value: item.id, label: item.name })),
    );
    if (!strip) return;
    if (duck) {
      await edit({ type: "add-duck-targets", duck: duck.id, strips: [strip] });
      return;
    }
    const processor = walkChain(owner?.chain ?? []).find((item) => item.id === relation.owner);
    if (processor)
      await edit({ type: "paste-processors", strips: [strip], processors: [processor], title: "Ducking" });
  };
  const remove = () =>
    relation.kind === "follower"
      ? edit({ type: "remove-follower", follower: relation.owner })
      : duck
        ? edit({ type: "remove-duck", duck: duck.id })
        : relation.kind === "band" && equaliser && equaliser.params.bands.length > 1
          ? edit({
              type: "set-processor",
              strip: relation.targets[0] ?? "",
              processor: equaliser.id,
              params: { bands: equaliser.params.bands.filter((band) => band.id !== relation.band?.[1]) },
            })
          : edit({ type: "remove-processor", strip: relation.targets[0] ?? "", processor: relation.owner });
  return (
    <chakra.aside
      aria-label="The chosen sentence"
      width="318px"
      flexShrink="0"
      overflowY="auto"
      borderLeft="1px solid"
      borderColor="rule"
      padding="8px 12px"
      fontSize="small"
    >
      {relation.kind === "follower" ? (
        <FollowerSettings follower={relation.owner} />
      ) : duck ? (
        <DuckSettings duck={duck} heardAt={heardAt} onHear={onHear} />
      ) : owner && equaliser ? (
        <EqCard key={relation.id} strip={owner} processor={equaliser} firstChosen={relation.band?.[1]} />
      ) : (
        <KeyedSettings strip={relation.targets[0] ?? ""} processor={relation.owner} />
      )}
      {report?.like_trigger && (
        <chakra.div marginTop="4px">
          <Cure
            cure={report.like_trigger}
            text="Shape it like this sound"
            revision={state.revision}
            current={current}
          />
        </chakra.div>
      )}
      <OnlyWhen relation={relation} />
      {report && (
        <Block title="Measured" dim={!current}>
          {moves ? (
            <>
              <Row name="moved by at most">
                {formatNumber(report.figures.deepest_db, 2)} {report.unit}
              </Row>
              <Row name="typically by">
                {formatNumber(report.figures.typical_db, 2)} {report.unit}
              </Row>
              <Row name="share of time">{formatNumber(100 * report.figures.ducked_share, 0)} %</Row>
            </>
          ) : (
            <>
              <Row name="deepest">{formatDb(report.figures.deepest_db)} dB</Row>
              <Row name="typical depth">{formatDb(report.figures.typical_db)} dB</Row>
              <Row name="down in">{ms(report.figures.down_ms)}</Row>
              {relation.trigger && <Row name="trigger rises in">{ms(report.figures.rise_ms)}</Row>}
              <Row name="back within 0.5 dB">{ms(report.figures.back_ms)}</Row>
              <Row name="shortest gap between hits">{ms(report.figures.shortest_gap_ms)}</Row>
              <Row name="share of time under −1 dB">
                {formatNumber(100 * report.figures.ducked_share, 0)} %
              </Row>
            </>
          )}
          <chakra.p
            fontWeight="700"
            color={report.figures.never_back || (report.figures.hits === 0 && !moves) ? "hotText" : "atText"}
            marginTop="4px"
          >
            {report.verdict}.
          </chakra.p>
          {report.cure && (
            <Cure cure={report.cure} text={report.cure_text} revision={state.revision} current={current} />
          )}
        </Block>
      )}
      <chakra.div display="flex" gap="8px" flexWrap="wrap" marginTop="8px">
        {relation.kind !== "follower" && (
          <PlainButton height="target" onClick={() => void putOn()}>
            Put on another target…
          </PlainButton>
        )}
        {relation.trigger && relation.kind !== "follower" && (
          <HearKey key={relation.id} relation={relation} target={heardAt ?? relation.targets[0] ?? ""} />
        )}
        <PlainButton height="target" onClick={() => void remove()}>
          Delete
        </PlainButton>
      </chakra.div>
    </chakra.aside>
  );
}

export function Block({ title, dim, children }: { title: string; dim?: boolean; children: ReactNode }) {
  return (
    <chakra.section aria-label={title} marginTop="6px" opacity={dim ? 0.5 : 1}>
      <chakra.h3 fontWeight="700">
        {title}
        {dim && <chakra.span color="quiet"> · being measured anew</chakra.span>}
      </chakra.h3>
      {children}
    </chakra.section>
  );
}

export function Row({ name, children }: { name: string; children: ReactNode }) {
  return (
    <chakra.div display="flex" justifyContent="space-between" alignItems="center" minHeight="20px" gap="6px">
      <chakra.span color="quiet">{name}</chakra.span>
      <chakra.span textStyle="number">{children}</chakra.span>
    </chakra.div>
  );
}

function ms(time: number | null): string {
  return time === null ? "never" : `${formatNumber(time, 0)} ms`;
}
