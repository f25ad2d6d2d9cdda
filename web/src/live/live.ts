import type { Wish } from "../api/types";
import { wake } from "../lib/animation";
import { Subscribable } from "../lib/subscribable";
import { Speaker } from "../player/player";
import { SILENT_DB, type Frame } from "./frames";
import type { FromWorker, LedParameter, ProcessorCurve, ServerMessage, ToWorker } from "./protocol";

export type Transport = {
  playing: boolean;
  positionS: number;
  loopS: [number, number] | null;
  durationS: number;
  sampleRateHz: number;
  strips: string[];
};

export const MONITOR_MODES = ["stereo", "mono", "left", "right", "mid", "side", "headphones"] as const;
export type MonitorMode = (typeof MONITOR_MODES)[number];

export type LiveError = { what: string; where: string; remedy: string };

export type Handlers = { onDocument: (revision: number) => void; onError: (error: LiveError) => void };

export type PlacedCurve = ProcessorCurve & { place: number };

const NO_READING = { peakDb: SILENT_DB, detectedDb: SILENT_DB, reductionDb: 0 };

const AT_REST: Transport = {
  playing: false,
  positionS: 0,
  loopS: null,
  durationS: 0,
  sampleRateHz: 48000,
  strips: [],
};

/** The page's end of the live connection. */
export class Live {
  readonly transport = new Subscribable<Transport>(AT_REST);
  readonly connected = new Subscribable(false);
  readonly curves = new Subscribable<Map<string, PlacedCurve>>(new Map());
  readonly led = new Subscribable<LedParameter[]>([]);
  readonly speaker = new Speaker();
  /** The latest spectrum of the watched strip. */
  spectrum: Float32Array | null = null;
  private ledCurves: Float32Array | null = null;

  private worker: Worker;
  private epoch = 0;
  private queued: Frame[] = [];
  private shown: Frame | null = null;
  private detectedDb = new Map<number, number>();
  private playedSamples = 0;
  private playedAt = 0;
  private serial = 0;
  private sentAt = new Map<number, number>();
  private watched: string | null = null;
  private wantsToPlay = false;
  /** Milliseconds from an edit's message to the first sound that has it, newest last. */
  readonly editToEarMs: number[] = [];

  constructor(
    sessionId: string,
    private handlers: Handlers,
  ) {
    this.worker = new Worker(new URL("./connection.worker.ts", import.meta.url), { type: "module" });
    this.worker.onmessage = (event: MessageEvent<FromWorker>) => this.receive(event.data);
    const origin = location.origin.replace(/^http/, "ws");
    this.post({ type: "open", url: `${origin}/api/sessions/${sessionId}/live` });
  }

  async play(atS?: number): Promise<void> {
    this.wantsToPlay = true;
    const port = await this.speaker.start(this.transport.get().sampleRateHz);
    if (port) this.worker.postMessage({ type: "speaker", port } satisfies ToWorker, [port]);
    this.send({ type: "play", at_s: atS ?? null });
  }

  stop(): void {
    this.wantsToPlay = false;
    this.send({ type: "stop" });
  }

  toggle(): void {
    if (this.transport.get().playing) this.stop();
    else void this.play();
  }

  seek(atS: number): void {
    this.send({ type: "seek", at_s: Math.max(0, atS) });
  }

  loop(stretchS: [number, number] | null): void {
    this.send({ type: "loop", stretch_s: stretchS });
  }

  watch(strip: string | null): void {
    this.watched = strip;
    this.spectrum = null;
    this.ledCurves = null;
    this.send({ type: "watch", strip });
  }

  /** How to hear the mix; nothing of it is printed. */
  /** Hear what a step of a strip's chain listens to instead of the mix; null goes back. */
  hearKey(step: { strip: string; step: string } | null): void {
    this.send({ type: "hear-key", strip: step?.strip ?? null, step: step?.step ?? null });
  }

  listen(mode: MonitorMode, dim: boolean): void {
    this.send({ type: "listen", mode, dim });
  }

  /** Render a snapshot alongside, or end that with null. */
  compare(snapshot: string | null, offsetDb: number): void {
    if (snapshot === null) this.speaker.side(0);
    this.send({ type: "compare", snapshot, offset_db: offsetDb });
  }

  /** Render the session alongside with an edit made. */
  audition(action: Wish, offsetDb: number): void {
    this.send({ type: "audition", action, offset_db: offsetDb });
  }

  /** Let an edit be heard while it is being made. */
  preview(action: Wish): void {
    this.serial += 1;
    this.sentAt.set(this.serial, performance.now());
    this.send({ type: "preview", serial: this.serial, action }, false);
  }

  /** A control is reached for: be close behind what is done from now on. */
  reach(): void {
    if (this.transport.get().playing) this.send({ type: "reach" }, false);
  }

  revert(): void {
    this.send({ type: "revert" });
  }

  /** What is sounding at this moment; null while nothing is. */
  frame(): Frame | null {
    const rate = this.transport.get().sampleRateHz;
    const sinceS = (performance.now() - this.playedAt) / 1000;
    const playing = this.transport.get().playing;
    const played = this.playedSamples + (playing ? Math.min(sinceS, 0.05) * rate : 0);
    const now = played - this.speaker.outputLatencyS * rate;
    while (this.queued[0] && this.queued[0].firstSample <= now) {
      this.shown = this.queued.shift() ?? null;
      if (this.shown) this.note(this.shown);
    }
    return playing ? this.shown : null;
  }

  /** What a frame says of a processor of the watched strip: peak after it, detected level, reduction. */
  reading(
    frame: Frame | null,
    processorId: string,
  ): { peakDb: number; detectedDb: number; reductionDb: number } {
    const place = this.curves.get().get(processorId)?.place ?? -1;
    if (!frame || place < 0 || frame.probe.length < 3 * place + 3) return NO_READING;
    return {
      peakDb: frame.probe[3 * place] ?? SILENT_DB,
      detectedDb: frame.probe[3 * place + 1] ?? SILENT_DB,
      reductionDb: frame.probe[3 * place + 2] ?? 0,
    };
  }

  /** Where followers have a parameter at this moment; undefined while nothing sounds, null is silent. */
  ledTo(address: string): number | null | undefined {
    const led = this.led.get();
    const frame = this.frame();
    const place = led.findIndex((one) => one.address === address);
    if (place < 0 || frame?.led.length !== led.length) return undefined;
    const value = frame.led[place] ?? SILENT_DB;
    return value <= SILENT_DB ? null : value;
  }

  /** The gain of an equaliser of the watched strip as followers have it at this moment; null while nothing leads it. */
  ledCurve(processorId: string): Float32Array | null {
    const own = `strips/${this.watched}/chain/`;
    const equalisers = new Set<string>();
    for (const { address } of this.led.get()) {
      const [id, part] = address.startsWith(own) ? address.slice(own.length).split("/") : [];
      if (id !== undefined && part === "bands") equalisers.add(id);
    }
    const place = [...equalisers].indexOf(processorId);
    if (place < 0 || !this.frame() || !this.ledCurves) return null;
    const nPoints = this.ledCurves.length / equalisers.size;
    return this.ledCurves.subarray(place * nPoints, (place + 1) * nPoints);
  }

  /** The loudest level a processor's detector has heard since this was asked last: no hit is too short for it. */
  takeDetectedDb(processorId: string): number {
    const place = this.curves.get().get(processorId)?.place ?? -1;
    if (!this.frame()) return SILENT_DB;
    const loudest = this.detectedDb.get(place) ?? SILENT_DB;
    this.detectedDb.delete(place);
    return loudest;
  }

  private note(frame: Frame): void {
    if (frame.spectrum.length) this.spectrum = frame.spectrum;
    if (frame.curves.length) this.ledCurves = frame.curves;
    for (let place = 0; 3 * place < frame.probe.length; place += 1) {
      const detectedDb = frame.probe[3 * place + 1] ?? SILENT_DB;
      this.detectedDb.set(place, Math.max(detectedDb, this.detectedDb.get(place) ?? SILENT_DB));
    }
  }

  /** Where the ear is, seconds. */
  positionS(): number {
    const { playing, positionS, sampleRateHz } = this.transport.get();
    const frame = this.frame();
    return playing && frame ? frame.positionSamples / sampleRateHz : positionS;
  }

  close(): void {
    this.speaker.silence(this.epoch + 1);
    this.post({ type: "close" });
    setTimeout(() => this.worker.terminate(), 200);
  }

  private send(message: Record<string, unknown>, keep = true): void {
    this.post({ type: "send", text: JSON.stringify(message), keep });
  }

  private post(message: ToWorker): void {
    this.worker.postMessage(message);
  }

  private receive(message: FromWorker): void {
    wake();
    switch (message.type) {
      case "connection":
        this.connection(message.up);
        break;
      case "text":
        this.server(JSON.parse(message.text) as ServerMessage);
        break;
      case "frame":
        if (message.frame.epoch >= this.epoch) this.queued.push(message.frame);
        break;
      case "played":
        if (message.epoch === this.epoch) {
          this.playedSamples = message.samples;
          this.playedAt = performance.now();
          this.noteEditsHeard();
        }
        break;
    }
  }

  private connection(up: boolean): void {
    const before = this.connected.get();
    if (!up && this.transport.get().playing) {
      this.transport.set({ ...this.transport.get(), playing: false, positionS: this.positionS() });
    }
    this.connected.set(up);
    if (up !== before) {
      this.epoch = -1;
      this.speaker.forgetEpochs();
    }
    if (up && !before && this.watched) this.send({ type: "watch", strip: this.watched });
    if (up && this.wantsToPlay) void this.play(this.transport.get().positionS);
  }

  private server(message: ServerMessage): void {
    switch (message.type) {
      case "transport":
        if (message.epoch !== this.epoch) {
          this.epoch = message.epoch;
          this.queued = [];
          this.shown = null;
          this.playedSamples = 0;
          this.playedAt = performance.now();
          this.speaker.silence(message.epoch);
        }
        if (this.transport.get().playing && !message.playing) this.wantsToPlay = false;
        this.transport.set({
          playing: message.playing,
          positionS: message.position_s,
          loopS: message.loop_s,
          durationS: message.duration_s,
          sampleRateHz: message.sample_rate_hz,
          strips: message.strips,
        });
        break;
      case "curves":
        this.curves.set(new Map(message.processors.map((item, place) => [item.id, { ...item, place }])));
        break;
      case "led":
        this.led.set(message.parameters);
        this.ledCurves = null;
        break;
      case "document":
        this.handlers.onDocument(message.revision);
        break;
      case "error":
        this.handlers.onError(message);
        break;
    }
  }

  private noteEditsHeard(): void {
    const rate = this.transport.get().sampleRateHz;
    const heard = this.playedSamples;
    for (const frame of [this.shown, ...this.queued]) {
      if (!frame || frame.firstSample > heard) break;
      for (const [serial, sent] of this.sentAt) {
        if (serial <= frame.serial) {
          const lateMs = ((heard - frame.firstSample) / rate) * 1000;
          this.editToEarMs.push(performance.now() - sent - lateMs + this.speaker.outputLatencyS * 1000);
          this.sentAt.delete(serial);
        }
      }
    }
  }
}
