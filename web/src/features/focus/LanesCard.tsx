import { chakra } from "@chakra-ui/react";
import { Fragment, useState } from "react";

import { server } from "../../api/client";
import { limitsOf } from "../../api/parameters";
import { useMeasurement } from "../../api/useMeasurement";
import { useRacks } from "../../api/queries";
import type { Lane, LaneSettings, Parallel, Strip, Wish } from "../../api/types";
import { compareWith } from "../../app/comparison";
import { useActing, useOpen, useTransport } from "../../app/SessionContext";
import { askName } from "../../app/store";
import { WishField } from "../../app/WishField";
import { ActionMenu } from "../../controls/ActionMenu";
import { LetterToggle } from "../../controls/LetterToggle";
import { PlainButton } from "../../controls/PlainButton";
import { LevelField } from "../../controls/LevelField";
import { formatHz, formatNumber } from "../../lib/format";
import { Chain } from "./Chain";
import { SignButton } from "../../controls/SignButton";

type LaneFinding = {
  lane: string;
  delay_ms: number;
  inverted: boolean;
  coherence: number;
  notch_hz: number | null;
};
type BlockReport = {
  change_lu: number | null;
  matching_db: number | null;
  lanes: LaneFinding[];
};

const COHERENT = 0.5;
const SETTLE_MS = 900;

/** Lanes that split and add up: levels, what they add on the song, and cures for what combs. */
export function LanesCard({ strip, processor: block }: { strip: Strip; processor: Parallel }) {
  const { state, live, edit } = useOpen();
  const { loopS } = useTransport();
  const { data: racks } = useRacks();
  const [opened, setOpened] = useState<string | null>(null);
  const { result, current, progress } = useMeasurement<BlockReport & { revision: number }>({
    start: () =>
      server.POST("/api/sessions/{session_id}/strips/{strip_id}/blocks/{block_id}/report", {
        params: { path: { session_id: state.id, strip_id: strip.id, block_id: block.id } },
        body: { stretch_s: loopS },
      }),
    about: `${strip.id} ${block.id}`,
    version: `${state.revision} ${JSON.stringify(loopS)}`,
    settleMs: SETTLE_MS,
  });
  const setLane = (lane: string, values: Omit<LaneSettings, "lane">) => ({
    type: "set-lanes" as const,
    strip: strip.id,
    block: block.id,
    changes: [{ lane, ...values }],
  });
  const setBlock = (level_db: number | null) => ({
    type: "set-parallel" as const,
    strip: strip.id,
    block: block.id,
    level_db,
  });
  const change = result?.change_lu ?? null;
  const isSplit = block.splits.length > 0;
  return (
    <>
      {block.lanes.map((lane, index) => (
        <Fragment key={lane.id}>
          <LaneRow
            strip={strip}
            block={block}
            lane={lane}
            open={opened === lane.id}
            onOpen={() => setOpened(opened === lane.id ? null : lane.id)}
            set={(values) => setLane(lane.id, values)}
          />
          <Crossover strip={strip} block={block} index={index} />
        </Fragment>
      ))}
      {result?.lanes.map((finding) => (
        <Comb
          key={finding.lane}
          finding={finding}
          lane={block.lanes.find((lane) => lane.id === finding.lane)}
          current={current}
          onAlign={(shift_ms) => void edit(setLane(finding.lane, { shift_ms }), result.revision)}
          onFlip={(polarity_inverted) =>
            void edit(setLane(finding.lane, { polarity_inverted }), result.revision)
          }
        />
      ))}
      <chakra.p
        data-testid="lanes-sum"
        role="status"
        marginTop="4px"
        paddingTop="4px"
        borderTop="1px solid"
        borderColor="rule"
        fontSize="small"
      >
        {change !== null
          ? `${block.lanes.length} ${isSplit ? "bands" : "lanes"} add ${formatNumber(change, 1)} LU${current ? "" : ", measuring anew…"}`
          : progress !== null
            ? "measuring…"
            : "too quiet to measure"}
      </chakra.p>
      <chakra.div display="flex" alignItems="center" gap="6px" fontSize="small" flexWrap="wrap">
        {isSplit ? (
          <BandsMenus strip={strip} block={block} />
        ) : (
          <ActionMenu
            label={`Add a lane to ${block.name}`}
            text="+ lane"
            items={(racks ?? []).map((rack) => ({ value: rack.rack, label: rack.label }))}
            onSelect={(rack) => void edit({ type: "add-lane", strip: strip.id, block: block.id, rack })}
          />
        )}
        <chakra.span flex="1" />
        <chakra.span color="quiet">level</chakra.span>
        <LevelField
          label={`${block.name}: level`}
          address={`strips/${strip.id}/chain/${block.id}/level_db`}
          value={block.level_db}
          onPreview={(value) => live.preview(setBlock(value))}
          onCommit={(value) => void edit(setBlock(value))}
          onCancel={() => live.revert()}
        />
        <PlainButton
          height="target"
          padding="0 6px"
          title="As loud as before the lanes"
          disabled={!current || change === null || result?.matching_db === null || Math.abs(change) < 0.05}
          onClick={() =>
            void edit(setBlock(Math.round(100 * (result?.matching_db ?? 0)) / 100), result?.revision)
          }
        >
          match level
        </PlainButton>
      </chakra.div>
    </>
  );
}

type CrossoverProps = { strip: Strip; block: Parallel; index: number };

/** Where one band ends and the next begins, between both. */
function Crossover({ strip, block, index }: CrossoverProps) {
  const split = block.splits[index];
  if (!split) return null;
  const address = `strips/${strip.id}/chain/${block.id}/splits/${split.id}/frequency_hz`;
  const limits = limitsOf("split", "frequency_hz");
  return (
    <chakra.div display="flex" alignItems="center" gap="6px" height="target" fontSize="small" color="quiet">
      <chakra.span height="1px" width="14px" bg="rule" />
      <WishField
        label={`Crossover ${index + 1} of ${block.name}`}
        address={address}
        value={split.frequency_hz}
        {...limits}
        minimum={block.splits[index - 1]?.frequency_hz ?? limits.minimum}
        maximum={block.splits[index + 1]?.frequency_hz ?? limits.maximum}
        step={0.02}
        align="left"
        format={(value) => `${formatHz(value ?? 0)} Hz`}
        wish={(value) => ({ type: "set-parameters", values: [{ address, value }] })}
      />
      <chakra.span height="1px" flex="1" bg="rule" />
    </chakra.div>
  );
}

/** What is done with all bands: one more, and one key for all. */
function BandsMenus({ strip, block }: { strip: Strip; block: Parallel }) {
  const { strips, edit } = useOpen();
  const split = (lane: string) =>
    edit({ type: "split-band", strip: strip.id, place: { block: block.id, lane }, frequency_hz: null });
  const hear = (from: string) =>
    edit({ type: "set-lanes-key", strip: strip.id, block: block.id, key: { from: from || null } } as Wish);
  return (
    <>
      <ActionMenu
        label={`Split a band of ${block.name}`}
        text="+ band"
        items={block.lanes.map((lane) => ({ value: lane.id, label: `Split ${lane.name}` }))}
        onSelect={(lane) => void split(lane)}
      />
      <ActionMenu
        label={`One key for all bands of ${block.name}`}
        text="key for all"
        items={[
          { value: "", label: "its own band each" },
          ...[...strips.values()]
            .filter((other) => other.id !== strip.id && other.kind !== "mix")
            .map((other) => ({ value: other.id, label: other.name })),
        ]}
        onSelect={(from) => void hear(from)}
      />
    </>
  );
}

type LaneRowProps = {
  strip: Strip;
  block: Parallel;
  lane: Lane;
  open: boolean;
  onOpen: () => void;
  set: (values: Omit<LaneSettings, "lane">) => Wish;
};

function LaneRow({ strip, block, lane, open, onOpen, set }: LaneRowProps) {
  const { live, edit } = useActing();
  const place = { block: block.id, lane: lane.id };
  const rename = async () => {
    const name = await askName("Name of the lane", lane.name);
    if (name) void edit(set({ name }));
  };
  return (
    <chakra.div role="group" aria-label={`Lane ${lane.name}`}>
      <chakra.div display="flex" alignItems="center" height="target" fontSize="small">
        <chakra.button
          type="button"
          aria-expanded={open}
          title="Open the lane; double-click to rename"
          flex="1"
          minWidth="0"
          height="target"
          textAlign="left"
          overflow="hidden"
          textOverflow="ellipsis"
          whiteSpace="nowrap"
          cursor="pointer"
          fontWeight={open ? "700" : "400"}
          onClick={onOpen}
          onDoubleClick={() => void rename()}
        >
          {open ? "▾" : "▸"} {lane.name}
          <chakra.span color="quiet"> {lane.chain.length > 0 && `· ${lane.chain.length}`}</chakra.span>
        </chakra.button>
        {lane.shift_ms !== 0 && (
          <chakra.span color="quiet" textStyle="number" fontSize="small">
            {formatNumber(lane.shift_ms, 2)} ms
          </chakra.span>
        )}
        <LevelField
          label={`${lane.name}: level`}
          address={`strips/${strip.id}/chain/${block.id}/lanes/${lane.id}/level_db`}
          value={lane.level_db}
          width="44px"
          align="right"
          onPreview={(value) => live.preview(set({ level_db: value }))}
          onCommit={(value) => void edit(set({ level_db: value }))}
          onCancel={() => live.revert()}
        />
        <SignButton
          label={`Hear without lane ${lane.name}`}
          sign="⇄"
          onClick={() =>
            compareWith({
              here: lane.mute ? `without ${lane.name}` : `with ${lane.name}`,
              there: lane.mute ? `with ${lane.name}` : `without ${lane.name}`,
              snapshot: null,
              action: set({ mute: !lane.mute }),
            })
          }
        />
        <LetterToggle
          letter="M"
          label={`Mute lane ${lane.name}`}
          address={`strips/${strip.id}/chain/${block.id}/lanes/${lane.id}/mute`}
          tone="over"
          on={lane.mute}
          onToggle={() => void edit(set({ mute: !lane.mute }))}
        />
        <LetterToggle
          letter="S"
          label={`Solo lane ${lane.name}`}
          tone="focus"
          on={lane.solo}
          onToggle={() => void edit(set({ solo: !lane.solo }))}
        />
        <LetterToggle
          letter="ø"
          label={`Invert lane ${lane.name}`}
          tone="key"
          on={lane.polarity_inverted}
          onToggle={() => void edit(set({ polarity_inverted: !lane.polarity_inverted }))}
        />
        <SignButton
          label={`Remove lane ${lane.name}`}
          onClick={() => void edit({ type: "remove-lane", strip: strip.id, place })}
        />
      </chakra.div>
      {open && (
        <chakra.div borderLeft="2px solid" borderColor="edge" paddingLeft="6px" marginLeft="3px">
          <Chain strip={strip} chain={lane.chain} into={place} />
        </chakra.div>
      )}
    </chakra.div>
  );
}

type CombProps = {
  finding: LaneFinding;
  lane: Lane | undefined;
  /** Whether it was measured on the session as it is. */
  current: boolean;
  onAlign: (shiftMs: number) => void;
  onFlip: (inverted: boolean) => void;
};

/** A lane that combs against the first one, with its cures. */
function Comb({ finding, lane, current, onAlign, onFlip }: CombProps) {
  if (!lane || finding.coherence < COHERENT) return null;
  // The measured lane stands before its own polarity switch.
  const opposed = finding.inverted !== lane.polarity_inverted;
  if (finding.notch_hz === null && !opposed) return null;
  return (
    <chakra.div
      role="alert"
      display="flex"
      flexWrap="wrap"
      alignItems="center"
      gap="6px"
      fontSize="small"
      color="hotText"
      padding="2px 0"
    >
      <span>
        ⚠ {lane.name}
        {finding.notch_hz !== null &&
          ` is ${formatNumber(Math.abs(finding.delay_ms), 2)} ms ${finding.delay_ms > 0 ? "late" : "early"}: first notch at ${formatHz(finding.notch_hz)} Hz`}
        {opposed && " has the opposite polarity"}
      </span>
      {finding.notch_hz !== null && (
        <PlainButton
          height="target"
          color="ink"
          disabled={!current}
          onClick={() => onAlign(Math.round(1000 * (lane.shift_ms - finding.delay_ms)) / 1000)}
        >
          align
        </PlainButton>
      )}
      {opposed && (
        <PlainButton
          height="target"
          color="ink"
          disabled={!current}
          onClick={() => onFlip(!lane.polarity_inverted)}
        >
          flip
        </PlainButton>
      )}
    </chakra.div>
  );
}
