import type { Move, Movable } from "../../api/types";
import { useOpen, useTransport } from "../../app/SessionContext";
import { askName, askWhich } from "../../app/store";
import { ActionMenu } from "../../controls/ActionMenu";
import { barRange, snapped } from "../../lib/beatGrid";
import { parseNumber } from "../../lib/format";

type LaneMenuProps = { move: Move; movable: Movable; movables: Movable[] };

/** What can be done with a curve over the loop, or all of it: shift, scale, copy elsewhere. */
export function LaneMenu({ move, movable, movables }: LaneMenuProps) {
  const { state, grid, live, edit } = useOpen();
  const { loopS } = useTransport();
  const { parameter, name } = movable;
  const stretch = loopS ? { from_s: loopS[0], to_s: loopS[1] } : {};
  const where = loopS ? `bars ${barRange(grid, loopS)}` : "all of it";
  const unit = parameter.scale === "logarithmic" ? "octaves" : parameter.unit;

  const ask = async (title: string, initial: string): Promise<number | null> => {
    const typed = await askName(title, initial);
    const value = typed === null ? null : parseNumber(typed);
    return value !== null && Number.isFinite(value) ? value : null;
  };
  const shift = async () => {
    const by = await ask(`${name}: shift ${where} by${unit ? ` (${unit})` : ""}`, "1.0");
    if (by) await edit({ type: "reshape-moves", targets: [move.target], by, ...stretch });
  };
  const scale = async () => {
    const percent = await ask(`${name}: scale ${where} to (%)`, "50");
    if (percent !== null)
      await edit({ type: "reshape-moves", targets: [move.target], times: percent / 100, ...stretch });
  };
  const copy = (target: string, atS: number) =>
    loopS &&
    edit({
      type: "copy-moves",
      from_s: loopS[0],
      to_s: loopS[1],
      copies: [{ source: move.target, target, at_s: atS }],
    });
  const copyElsewhere = async () => {
    const alike = movables.filter(
      (item) =>
        item.address !== move.target &&
        item.parameter.unit === parameter.unit &&
        item.parameter.kind === parameter.kind,
    );
    const target = await askWhich(
      `Copy ${name}, ${where}, to`,
      alike.map((item) => ({ value: item.address, label: item.name })),
    );
    if (target && loopS) await copy(target, loopS[0]);
  };
  const places = loopS
    ? [
        { value: "here", label: `Copy ${where} to the playhead` },
        ...state.document.sections
          .filter((section) => Math.abs(section.start_s - loopS[0]) > 1e-6)
          .map((section) => ({ value: `at ${section.start_s}`, label: `Copy ${where} to ${section.name}` })),
        { value: "elsewhere", label: `Copy ${where} to another parameter…` },
      ]
    : [];
  const reshaping =
    parameter.kind === "switch"
      ? []
      : [
          { value: "shift", label: `Shift ${where}…` },
          { value: "scale", label: `Scale ${where}…` },
        ];
  const items = [...reshaping, ...places];
  const onSelect = (value: string) => {
    if (value === "shift") void shift();
    else if (value === "scale") void scale();
    else if (value === "elsewhere") void copyElsewhere();
    else
      void copy(
        move.target,
        value === "here" ? snapped(grid, live.positionS(), "beat") : Number(value.slice(3)),
      );
  };
  return (
    <ActionMenu
      label={`More for the move of ${name}`}
      text="⋯"
      hint={loopS ? undefined : "Loop a stretch to copy it"}
      color="quiet"
      items={items.length ? items : [{ value: "none", label: "Loop a stretch to copy it" }]}
      onSelect={(value) => value !== "none" && onSelect(value)}
    />
  );
}
