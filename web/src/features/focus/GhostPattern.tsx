import { chakra } from "@chakra-ui/react";

import { limitsOf, notesWith } from "../../api/parameters";
import type { Strip, Wish } from "../../api/types";
import { useOpen } from "../../app/SessionContext";
import { WishField } from "../../app/WishField";
import { Choice } from "../../controls/Choice";
import { SignButton } from "../../controls/SignButton";
import { formatNumber } from "../../lib/format";

const MOST_STEPS = 64;
const SOFT = 0.5;

type Steps = Extract<Strip["pattern"], { kind: "steps" }>;
type Written = Extract<Strip["pattern"], { kind: "notes" }>;

const STEPS = "steps";
const OWN_NOTES = "notes";

/** When a ghost clicks: on steps, on notes of its own, or on a note track's. */
export function GhostPattern({ strip }: { strip: Strip }) {
  const { edit, state } = useOpen();
  const { pattern } = strip;
  const tracks = state.document.note_tracks;
  const set = (next: Partial<Steps> | Partial<Written>) =>
    void edit({ type: "set-ghost", strip: strip.id, pattern: next } as Wish);
  const choose = (kind: string) =>
    set(
      kind === STEPS
        ? { kind: "steps" }
        : kind === OWN_NOTES
          ? { kind: "notes", notes: pattern?.kind === "notes" ? pattern.notes : [] }
          : { kind: "notes", track: kind },
    );
  const own = pattern?.kind === "notes" ? pattern.notes.length : 0;
  return (
    <chakra.div display="flex" flexDirection="column" gap="4px" alignItems="flex-start">
      <Choice
        label={`${strip.name} clicks`}
        value={pattern?.kind === "notes" ? (pattern.track ?? OWN_NOTES) : STEPS}
        options={[
          { value: STEPS, label: "clicks on steps" },
          ...(own || !tracks.length
            ? [{ value: OWN_NOTES, label: `clicks on ${own} notes of its own` }]
            : []),
          ...tracks.map((track) => ({
            value: track.id,
            label: `clicks on ${track.name}, ${track.notes.length} notes`,
          })),
        ]}
        onChange={choose}
      />
      {pattern?.kind === "steps" && (
        <GhostSteps name={strip.name} pattern={pattern} set={(values) => set({ ...pattern, ...values })} />
      )}
      <chakra.div display="flex" gap="12px" fontSize="small" color="quiet">
        {(["length_ms", "level_db"] as const).map((name) => {
          const limits = limitsOf("click", name);
          return (
            <chakra.span key={name}>
              {name === "length_ms" ? "long" : "loud"}{" "}
              <WishField
                label={`Click ${name === "length_ms" ? "length" : "level"} of ${strip.name}`}
                value={strip.click[name]}
                {...limits}
                step={0.5}
                format={(value) => `${formatNumber(value ?? 0, 1)} ${limits.unit}`}
                wish={(value) =>
                  ({ type: "set-ghost", strip: strip.id, click: { ...strip.click, [name]: value } }) as Wish
                }
              />
            </chakra.span>
          );
        })}
      </chakra.div>
    </chakra.div>
  );
}

type GhostStepsProps = { name: string; pattern: Steps; set: (values: Partial<Steps>) => void };

/** Steps that are loud, soft, or none. */
function GhostSteps({ name, pattern, set }: GhostStepsProps) {
  const next = (step: number) => (step === 0 ? 1 : step > SOFT ? SOFT : 0);
  return (
    <chakra.div
      role="group"
      aria-label={`Steps of ${name}`}
      display="flex"
      gap="3px"
      flexWrap="wrap"
      alignItems="center"
    >
      {pattern.steps.map((step, index) => (
        <chakra.button
          key={index}
          type="button"
          aria-label={`Step ${index + 1} of ${pattern.steps.length}: ${step === 0 ? "none" : step > SOFT ? "loud" : "soft"}`}
          width="target"
          height="target"
          border="1px solid"
          borderColor="key"
          position="relative"
          cursor="pointer"
          onClick={() =>
            set({ steps: pattern.steps.map((old, place) => (place === index ? next(old) : old)) })
          }
        >
          <chakra.span
            position="absolute"
            left="3px"
            right="3px"
            bottom="3px"
            bg="key"
            style={{ height: `${Math.round(16 * step)}px` }}
          />
        </chakra.button>
      ))}
      <SignButton
        sign="+"
        label="One step more"
        onClick={() => pattern.steps.length < MOST_STEPS && set({ steps: [...pattern.steps, 0] })}
      />
      <SignButton
        sign="−"
        label="One step less"
        onClick={() => pattern.steps.length > 1 && set({ steps: pattern.steps.slice(0, -1) })}
      />
      <Choice
        label="Step length"
        value={pattern.note}
        options={notesWith(pattern.note)}
        onChange={(note) => set({ note })}
      />
    </chakra.div>
  );
}
