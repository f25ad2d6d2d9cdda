import { useEffect, useRef } from "react";
import { create } from "zustand";

import { fetchMovables } from "../api/queries";
import type { MovingCurve } from "../controls/overTime";
import { parameterAt, valueIn } from "../lib/addresses";
import { CONTROLLER_CHANNEL, padMessage, readMidi, type Touch } from "../lib/midi";
import { fromShare } from "../lib/moves";
import type { Recorder } from "./recording";
import { useActing } from "./SessionContext";
import { notify } from "./store";

const KEPT_AS = "gemischt-controller";
/** A controller does not say when it is let go of: it is, when it has been still for so long. */
const STILL_MS = 500;

type Bindings = Record<string, string>;
type Controller = {
  /** Which fader, knob or pad leads which parameter. */
  bindings: Bindings;
  /** Whether the next touch of a controller is bound to the control that was touched last on the page. */
  learning: boolean;
  touched: string | null;
  /** Whether the browser listens to MIDI devices, and to how many. */
  devices: number | null;
};

function keptBindings(): Bindings {
  try {
    return JSON.parse(localStorage.getItem(KEPT_AS) ?? "{}") as Bindings;
  } catch {
    return {};
  }
}

export const useControllerState = create<Controller>(() => ({
  bindings: keptBindings(),
  learning: false,
  touched: null,
  devices: null,
}));

function bind(control: string, address: string): void {
  const bindings = { ...useControllerState.getState().bindings, [control]: address };
  localStorage.setItem(KEPT_AS, JSON.stringify(bindings));
  useControllerState.setState({ bindings });
}

export function forgetBindings(): void {
  localStorage.removeItem(KEPT_AS);
  useControllerState.setState({ bindings: {} });
}

/** Listen to controllers that are plugged in; the browser asks first. */
export async function listenToDevices(): Promise<void> {
  if (!("requestMIDIAccess" in navigator)) {
    notify(
      "error",
      "This browser does not let pages listen to MIDI devices.",
      "The simulated controller works.",
    );
    return;
  }
  try {
    const access = await navigator.requestMIDIAccess();
    const connect = () => {
      access.inputs.forEach((input) => {
        input.onmidimessage = ({ data }) => data && listeners.forEach((listener) => listener([...data]));
      });
      useControllerState.setState({ devices: access.inputs.size });
    };
    access.onstatechange = connect;
    connect();
  } catch {
    notify(
      "error",
      "The browser was not allowed to listen to MIDI devices.",
      "Allow it in the page's settings.",
    );
  }
}

/** A key strikes the first pad. */
export function strikeByKey(): void {
  listeners.forEach((listener) => listener(padMessage(0, KEY_STRIKES)));
}

const KEY_STRIKES = 0.8;
const listeners = new Set<(bytes: number[]) => void>();

/** Controllers, plugged in or simulated, lead the parameters they were bound to; their pads play notes. */
export function useController(recorder: Recorder, curves: ReadonlyMap<string, MovingCurve>): void {
  const { live, edit, now } = useActing();
  const moving = useRef(curves);
  useEffect(() => {
    moving.current = curves;
  });
  useEffect(() => {
    const timers = new Map<string, number>();
    const lead = (address: string, share: number) => {
      const parameter = parameterAt(now().document, address);
      if (!parameter) return;
      const value = fromShare(parameter, share);
      const recorded = recorder.touch(address, value);
      const wish = { type: "set-parameters" as const, values: [{ address, value }] };
      if (!recorded && moving.current.has(address)) {
        notify("error", `${parameter.label} moves over the song.`, "Record it, or let it rest first.");
        return;
      }
      if (!recorded) live.preview(wish);
      window.clearTimeout(timers.get(address));
      timers.set(
        address,
        window.setTimeout(() => {
          timers.delete(address);
          if (parameter.kind === "switch" || recorder.letGo(address)) return;
          void edit(wish);
        }, STILL_MS),
      );
      if (!recorded && parameter.kind === "switch") void edit(wish);
    };
    const strike = (touch: Touch) => {
      const address = useControllerState.getState().bindings[touch.control];
      if (address !== undefined && parameterAt(now().document, address)?.kind === "switch") {
        const curve = moving.current.get(address);
        lead(address, (curve ? curve.now() : valueIn(now().document, address)) ? 0 : 1);
      } else recorder.strike(touch.number, touch.share);
    };
    const learn = async (touch: Touch, address: string) => {
      const { id, revision } = now();
      const movable = (await fetchMovables(id, revision)).find((item) => item.address === address);
      if (!movable) {
        notify(
          "error",
          "This cannot be led by a controller.",
          "Touch a control that may move over the song.",
        );
        return;
      }
      bind(touch.control, address);
      notify("done", `${touch.name} leads ${movable.name}.`);
    };
    const hear = (bytes: number[]) => {
      const touch = readMidi(bytes);
      if (!touch) return;
      const { learning, touched, bindings } = useControllerState.getState();
      if (learning && touched !== null) {
        useControllerState.setState({ touched: null });
        void learn(touch, touched);
        return;
      }
      if (touch.kind === "pad") strike(touch);
      else {
        const address = bindings[touch.control];
        if (address !== undefined) lead(address, touch.share);
      }
    };
    const simulated = new BroadcastChannel(CONTROLLER_CHANNEL);
    simulated.onmessage = ({ data }: MessageEvent<number[]>) => hear(data);
    listeners.add(hear);
    const remember = (event: Event) => {
      const address = (event.target as HTMLElement).closest<HTMLElement>("[data-address]")?.dataset.address;
      if (address !== undefined) useControllerState.setState({ touched: address });
    };
    window.addEventListener("pointerdown", remember, true);
    window.addEventListener("focusin", remember, true);
    return () => {
      simulated.close();
      listeners.delete(hear);
      window.removeEventListener("pointerdown", remember, true);
      window.removeEventListener("focusin", remember, true);
      timers.forEach((timer) => window.clearTimeout(timer));
    };
  }, [recorder, live, edit, now]);
}
