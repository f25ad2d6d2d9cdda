import { chakra } from "@chakra-ui/react";

import type { Relation, Wish } from "../../api/types";
import { useOpen, useTransport } from "../../app/SessionContext";
import { PlainButton } from "../../controls/PlainButton";
import { barRange } from "../../lib/beatGrid";
import { Block } from "./Side";

const CLOSE_S = 0.01;

/** In which sections or bars a sentence counts: a move of its switch. */
export function OnlyWhen({ relation }: { relation: Relation }) {
  const { edit, state, grid } = useOpen();
  const { loopS } = useTransport();
  const { sections, moves } = state.document;
  const move = moves.find((item) => item.target === relation.switch);
  const isOn = (atS: number) => {
    if (!move) return true;
    const place = move.points.findLastIndex((point) => point.at_s <= atS + CLOSE_S);
    return Boolean(move.points[Math.max(0, place)]?.value);
  };
  const set = (stretches: { from_s: number; to_s: number }[], leftOut = false): Wish => ({
    type: "only-in",
    target: relation.switch,
    stretches,
    left_out: leftOut,
  });
  const chosen = move ? sections.filter((section) => isOn(section.start_s)) : [];
  const toggle = (name: string, startS: number) => {
    const has = chosen.some((section) => section.name === name && section.start_s === startS);
    const next = has
      ? chosen.filter((section) => section.start_s !== startS)
      : [...chosen, ...sections.filter((section) => section.start_s === startS)];
    void edit(set(next.map((section) => ({ from_s: section.start_s, to_s: section.end_s }))));
  };
  return (
    <Block title="Only when wanted">
      <chakra.div display="flex" gap="4px" flexWrap="wrap">
        <PlainButton
          height="target"
          padding="0 6px"
          aria-pressed={!move}
          fontWeight={move ? "400" : "700"}
          onClick={() => void edit(set([]))}
        >
          everywhere
        </PlainButton>
        {sections.map((section) => {
          const on = chosen.includes(section);
          return (
            <PlainButton
              key={section.start_s}
              height="target"
              padding="0 6px"
              aria-label={`Only in ${section.name}`}
              aria-pressed={on}
              fontWeight={on ? "700" : "400"}
              bg={on ? "wash" : "transparent"}
              onClick={() => toggle(section.name, section.start_s)}
            >
              {section.name}
            </PlainButton>
          );
        })}
        {loopS && (
          <>
            <PlainButton
              height="target"
              padding="0 6px"
              onClick={() => void edit(set([{ from_s: loopS[0], to_s: loopS[1] }]))}
            >
              only bars {barRange(grid, loopS)}
            </PlainButton>
            <PlainButton
              height="target"
              padding="0 6px"
              onClick={() => void edit(set([{ from_s: loopS[0], to_s: loopS[1] }], true))}
            >
              not bars {barRange(grid, loopS)}
            </PlainButton>
          </>
        )}
      </chakra.div>
    </Block>
  );
}
