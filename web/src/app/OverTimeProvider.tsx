import { useEffect, useMemo, useSyncExternalStore, type ReactNode } from "react";

import { fetchMovables } from "../api/queries";
import {
  OverTimeContext,
  type LedControl,
  type MovingCurve,
  type OverTime,
  type Value,
} from "../controls/overTime";
import { parameterAt } from "../lib/addresses";
import { pointSetAt, rangeOf, showRange, showValue, valueAt } from "../lib/moves";
import { useController } from "./controller";
import { useControlMenu } from "./controlMenu";
import { Recorder, recordedNow } from "./recording";
import { useActing, useOpen } from "./SessionContext";
import { askWhich } from "./store";

type Acting = ReturnType<typeof useActing>;

/** Lets controls know what moves, and take part in it. */
export function OverTimeProvider({ children }: { children: ReactNode }) {
  const acting = useActing();
  const { moves } = useOpen().state.document;
  const recorder = useMemo(() => new Recorder(acting), [acting]);
  useEffect(() => recorder.begin(), [recorder]);

  const curves = useMemo(() => {
    const found = new Map<string, MovingCurve>();
    for (const move of moves) {
      const parameter = parameterAt(acting.now().document, move.target);
      if (!move.on || !parameter) continue;
      const now = () => recordedNow(move.target) ?? valueAt(move.points, parameter, acting.live.positionS());
      const range = showRange(parameter, move.points);
      found.set(move.target, { now, label: parameter.label, range, ...rangeOf(move.points, parameter) });
    }
    return found;
  }, [moves, acting]);

  const told = useSyncExternalStore(acting.live.led.subscribe, acting.live.led.get);
  const led = useMemo(
    () =>
      new Map(
        told.map(({ address, low, high }): [string, LedControl] => [
          address,
          { low, high, now: () => acting.live.ledTo(address) },
        ]),
      ),
    [told, acting],
  );

  const overTime = useMemo<OverTime>(
    () => ({
      curves,
      led,
      touch: (address, value) => recorder.touch(address, value),
      letGo: (address) => recorder.letGo(address),
      ask: (address, value) => void askWhatIsMeant(acting, address, value),
    }),
    [curves, led, recorder, acting],
  );
  useController(recorder, curves);
  useControlMenu(acting);
  return <OverTimeContext.Provider value={overTime}>{children}</OverTimeContext.Provider>;
}

/** A value was given to what moves: all of the curve is shifted, or a point is set where the song is. */
async function askWhatIsMeant({ live, edit, now }: Acting, address: string, value: Value): Promise<void> {
  const { document, id, revision } = now();
  const move = document.moves.find((item) => item.target === address);
  const movable = (await fetchMovables(id, revision)).find((item) => item.address === address);
  if (!move || !movable) return;
  const { parameter, name } = movable;
  const atS = live.positionS();
  const is = valueAt(move.points, parameter, atS);
  const canShift = typeof value === "number" && typeof is === "number" && typeof movable.value === "number";
  const meant =
    canShift &&
    (await askWhich(`${name} moves over the song. It is ${showValue(parameter, is)} now.`, [
      { value: "shift", label: `Shift the whole curve to ${showValue(parameter, value)} here` },
      { value: "point", label: `Set a point of ${showValue(parameter, value)} here` },
    ]));
  if (canShift && !meant) return;
  if (meant === "shift" && canShift) {
    const inOctaves = parameter.scale === "logarithmic" && (parameter.minimum ?? 0) > 0;
    const by = inOctaves ? Math.log2(value / is) : value - is;
    await edit({ type: "reshape-moves", targets: [address], by });
    return;
  }
  const points = pointSetAt(move.points, atS, value);
  await edit({ type: "set-moves", moves: [{ target: address, on: move.on, points }] });
}
