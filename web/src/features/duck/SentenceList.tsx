import { chakra } from "@chakra-ui/react";

import type { Relation } from "../../api/types";
import { useActing, useOpen } from "../../app/SessionContext";
import { formatDb } from "../../lib/format";
import { Mini } from "./Mini";
import type { DuckReport } from "./report";
import { Words } from "./Words";

type SentenceListProps = {
  relations: Relation[];
  chosen: string | undefined;
  report: DuckReport | null;
  /** Whether the report is of the session as it is. */
  current: boolean;
  onChoose: (id: string) => void;
};

/** One row per sentence, with what was measured of the chosen one. */
export function SentenceList({ relations, chosen, report, current, onChoose }: SentenceListProps) {
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
        const own = isChosen && report?.relation === relation.id ? report : null;
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
            bg={isChosen ? "wash" : "transparent"}
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
              opacity={current ? 1 : 0.5}
            >
              {own ? formatDb(own.figures.deepest_db) : ""}
            </chakra.span>
            <chakra.span role="cell" height="24px">
              {own && <Mini gainDb={own.gain_db} />}
            </chakra.span>
          </chakra.div>
        );
      })}
    </chakra.div>
  );
}
