import { chakra } from "@chakra-ui/react";
import { useCallback } from "react";

import { useOpen, useTransport } from "../../app/SessionContext";
import { useCanvas } from "../../canvas/useCanvas";
import { useRelations } from "../../api/queries";
import { formatDb } from "../../lib/format";
import { paintScope } from "./drawScope";
import type { DuckReport } from "./report";

type ScopeProps = { report: DuckReport; dim: boolean; withTrigger: boolean };

/** Trigger, target and gain of what was heard; paler while it is being heard anew. */
export function Scope({ report, dim, withTrigger }: ScopeProps) {
  const { live, grid, strips, state } = useOpen();
  const { playing } = useTransport();
  const { data: relations = [] } = useRelations(state.id, state.revision);
  const relation = relations.find((item) => item.id === report.relation);
  const ofItself = relation?.trigger != null && relation.targets.includes(relation.trigger);
  const trigger = ofItself ? "what feeds it" : (strips.get(relation?.trigger ?? "")?.name ?? "");
  const target = strips.get(report.target);
  const { ref } = useCanvas(
    useCallback(
      (context, widthPx, heightPx, colors) =>
        paintScope(context, widthPx, heightPx, colors, {
          report,
          grid,
          color: target?.color ?? colors.ink,
          triggerName: trigger,
          targetName: target?.name ?? "",
          otherColors: report.others.map((other) => strips.get(other.strip)?.color ?? colors.quiet),
          atS: live.positionS(),
        }),
      [report, grid, target, trigger, live, strips],
    ),
    playing && "gliding",
  );
  return (
    <chakra.canvas
      ref={ref}
      role="img"
      aria-label={`${target?.name ?? ""} over time: deepest ${formatDb(report.figures.deepest_db)} dB${withTrigger ? `, trigger ${trigger}` : ""}`}
      flex="1"
      minHeight="120px"
      width="100%"
      opacity={dim ? 0.5 : 1}
    />
  );
}
