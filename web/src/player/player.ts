import { spareDrawing } from "../lib/animation";
import workletUrl from "./playback.worklet.ts?worker&url";

/** The sound card's side: an audio context whose worklet is fed through a port. */
export class Speaker {
  private context: AudioContext | null = null;
  private node: AudioWorkletNode | null = null;
  /** Blocks of silence where sound should have been, since the page was opened. */
  missedBlocks = 0;

  /** Make the context at the session's rate and give the port blocks go into; call from a user's gesture. */
  async start(sampleRateHz: number): Promise<MessagePort | null> {
    if (this.context?.sampleRate === sampleRateHz) {
      await this.context.resume();
      return null;
    }
    await this.context?.close();
    const context = new AudioContext({ sampleRate: sampleRateHz, latencyHint: "interactive" });
    this.context = context;
    await context.audioWorklet.addModule(workletUrl);
    const node = new AudioWorkletNode(context, "gemischt-playback", {
      numberOfInputs: 0,
      outputChannelCount: [2],
    });
    node.port.onmessage = (event: MessageEvent<{ missed: number }>) => {
      this.missedBlocks = event.data.missed;
      spareDrawing();
    };
    node.connect(context.destination);
    this.node = node;
    const channel = new MessageChannel();
    node.port.postMessage({ port: channel.port1 }, [channel.port1]);
    await context.resume();
    return channel.port2;
  }

  /** Fall silent: what is left of earlier epochs is not wanted any more. */
  silence(epoch: number): void {
    this.node?.port.postMessage({ silence: epoch });
  }

  /** Hear the session (0) or what it is compared with (1). */
  side(side: 0 | 1): void {
    this.node?.port.postMessage({ side });
  }

  /** Without a connection there is nothing to play, and a new one counts its epochs anew. */
  forgetEpochs(): void {
    this.node?.port.postMessage({ forget: true });
  }

  /** Seconds between a sample leaving the worklet and the ear. */
  get outputLatencyS(): number {
    return this.context ? this.context.baseLatency + (this.context.outputLatency || 0) : 0;
  }
}
