import { chakra } from "@chakra-ui/react";

import { limitsOf } from "../../api/parameters";
import { useMovables } from "../../api/queries";
import type { Follower, Movable, Wish } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { WishField } from "../../app/WishField";
import { Choice } from "../../controls/Choice";
import { SignButton } from "../../controls/SignButton";
import { formatNumber } from "../../lib/format";
import { showValue } from "../../lib/moves";
import { Block, Row } from "./Side";

const SHOWN = ["floor_db", "ceiling_db", "attack_ms", "release_ms", "bend"] as const;
const WORDS = {
  floor_db: "not at all under",
  ceiling_db: "all the way from",
  attack_ms: "attack",
  release_ms: "release",
  bend: "bend",
};

/** A follower: what it hears, how it becomes a share of the way, and what it moves. */
export function FollowerSettings({ follower: id }: { follower: string }) {
  const { state, strips, edit } = useOpen();
  const { data: movables = [] } = useMovables(state.id, state.revision);
  const follower = state.document.followers.find((item) => item.id === id);
  if (!follower) return null;
  const set = (values: Partial<Follower>): Wish =>
    ({ type: "set-follower", follower: id, ...values }) as Wish;
  return (
    <>
      <Block title="Follows">
        <Choice
          label="Follows"
          value={follower.from}
          color="follow"
          options={[...strips.values()].map((strip) => ({ value: strip.id, label: strip.name }))}
          onChange={(source) => void edit({ type: "set-follower", follower: id, source } as Wish)}
        />
        {SHOWN.map((name) => {
          const limits = limitsOf("follower", name);
          return (
            <Row key={name} name={WORDS[name]}>
              <WishField
                label={WORDS[name]}
                value={follower[name]}
                {...limits}
                step={limits.logarithmic || name === "bend" ? 0.02 : 0.5}
                format={(value) => formatNumber(value ?? 0, name === "bend" ? 2 : 1)}
                wish={(value) => set({ [name]: value })}
              />{" "}
              {limits.unit}
            </Row>
          );
        })}
      </Block>
      <Block title="Moves">
        {follower.targets.map((target) => {
          const movable = movables.find((item) => item.address === target.target);
          return movable && <Target key={target.id} follower={id} movable={movable} to={target.to} />;
        })}
      </Block>
    </>
  );
}

function Target({ follower, movable, to }: { follower: string; movable: Movable; to: number | null }) {
  const { edit } = useOpen();
  const { parameter, address, name } = movable;
  const rest = typeof movable.value === "boolean" ? null : movable.value;
  return (
    <chakra.div display="flex" alignItems="center" gap="6px">
      <chakra.span flex="1">{name}</chakra.span>
      <chakra.span color="quiet">{showValue(parameter, rest)} →</chakra.span>
      <WishField
        label={`${name} goes to`}
        value={to}
        minimum={parameter.minimum ?? 0}
        maximum={parameter.maximum ?? 1}
        fallback={typeof parameter.default === "number" ? parameter.default : null}
        logarithmic={parameter.scale === "logarithmic"}
        step={parameter.scale === "logarithmic" || (parameter.maximum ?? 1) <= 2 ? 0.02 : 0.5}
        nullAt={parameter.none == null ? undefined : parameter.unit === "dB" ? "bottom" : "top"}
        emphasis
        format={(value) => showValue(parameter, value)}
        wish={(value) => ({ type: "set-follower-target", follower, target: address, to: value })}
      />
      <SignButton
        label={`Leave ${name} alone`}
        onClick={() => void edit({ type: "remove-follower", follower, target: address })}
      />
    </chakra.div>
  );
}
