import { chakra } from "@chakra-ui/react";

import type { Relation } from "../../api/types";
import { useActing, useOpen } from "../../app/SessionContext";
import { formatDb } from "../../lib/format";
import { Mini } from "./Mini";
import type { DuckReport, Glance } from "./report";
import { Words } from "./Words";

type SentenceListProps = {
  relations: Relation[];
  chosen: string | undefined;
  /** Of the chosen one, as the session is now. */
  report: DuckReport | null;
  glances: Glance[];
  /** Whether the glances are of the session as it is. */
  current: boolean;
  onChoose: (id: string) => void;
};

/** One row per sentence, with what was measured of the chosen one. */
export function SentenceList({ relations, chosen, report, glances, current, onChoose }: SentenceListProps) {
  const { edit } = useActing();
  const { strips } = useOpen();
  return (
    <chakra.div
      role="table"
      aria-label="What makes room for what"
      flexShrink="0"
      maxHeight="248px"
      overflowY="auto"
    >
      {relations.map((relation) => {
        const isChosen = relation.id === chosen;
        const heard = isChosen && report?.relation === relation.id ? report : null;
        const seen = glances.find((item) => item.relation === relation.id);
        const gainDb = heard?.gain_db ?? seen?.gain_db;
        const deepestDb = heard?.figures.deepest_db ?? seen?.deepest_db;
        const fresh = heard !== null || current;
        return (
          <chakra.div
            key={relation.id}
            role="row"
            aria-selected={isChosen}
            display="grid"
            gridTemplateColumns="28px 10px minmax(0, 1fr) 58px 190px"
            alignItems="center"
            gap="6px"
            height="30px"
            padding="0 12px"
            borderBottom="1px solid"
            borderColor="rule"
            bg={isChosen ? "card" : "transparent"}
            boxShadow={isChosen ? "inset 3px 0 0 var(--chakra-colors-focus)" : "none"}
            opacity={relation.on ? 1 : 0.6}
            onClick={() => onChoose(relation.id)}
          >
            <chakra.span role="cell">
              <chakra.input
                type="checkbox"
                aria-label={`${relation.sentence}: on`}
                checked={relation.on}
                onClick={(event) => event.stopPropagation()}
                onChange={() =>
                  void edit({
                    type: "set-parameters",
                    values: [{ address: relation.switch, value: !relation.on }],
                  })
                }
              />
            </chakra.span>
            <chakra.span
              role="cell"
              width="5px"
              height="15px"
              style={{ background: strips.get(relation.targets[0] ?? "")?.color ?? "transparent" }}
            />
            <chakra.span
              role="cell"
              minWidth="0"
              overflow="hidden"
              whiteSpace="nowrap"
              textOverflow="ellipsis"
            >
              <Words relation={relation} onChoose={() => onChoose(relation.id)} />
            </chakra.span>
            <chakra.span
              role="cell"
              textAlign="right"
              textStyle="number"
              fontWeight="700"
              opacity={fresh ? 1 : 0.5}
            >
              {deepestDb === undefined ? "" : formatDb(deepestDb)}
            </chakra.span>
            <chakra.span role="cell" height="24px" opacity={fresh ? 1 : 0.5}>
              {gainDb && <Mini gainDb={gainDb} />}
            </chakra.span>
          </chakra.div>
        );
      })}
    </chakra.div>
  );
}
