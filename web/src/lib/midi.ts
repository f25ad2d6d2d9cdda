/** Where the simulated controller and the page meet. */
export const CONTROLLER_CHANNEL = "gemischt-controller";

export const FADERS = 8;
export const PADS = 8;
const FIRST_FADER = 16;
const FIRST_PAD = 36;
const NOTE_ON = 0x90;
const CONTROL_CHANGE = 0xb0;
const MOST = 127;

/** A controller was touched: which part of it, and how far or how hard, 0 to 1. */
export type Touch = { kind: "fader" | "pad"; control: string; name: string; number: number; share: number };

/** Reads a MIDI message (MIDI 1.0: control changes and notes); null for what is no touch. */
export function readMidi(bytes: readonly number[]): Touch | null {
  const [status = 0, number = 0, value = 0] = bytes;
  const channel = status & 0x0f;
  const share = value / MOST;
  if ((status & 0xf0) === CONTROL_CHANGE) {
    return { kind: "fader", control: `control ${channel} ${number}`, name: `Fader ${number}`, number, share };
  }
  if ((status & 0xf0) === NOTE_ON && value > 0) {
    return { kind: "pad", control: `note ${channel} ${number}`, name: `Pad ${number}`, number, share };
  }
  return null;
}

/** What the simulated controller's fader sends. */
export function faderMessage(index: number, share: number): number[] {
  return [CONTROL_CHANGE, FIRST_FADER + index, Math.round(MOST * Math.min(1, Math.max(0, share)))];
}

/** What its pad sends when struck. */
export function padMessage(index: number, share: number): number[] {
  return [NOTE_ON, FIRST_PAD + index, Math.max(1, Math.round(MOST * share))];
}
