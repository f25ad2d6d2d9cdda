/** Plays blocks as they come. A new epoch fades the old sound out and starts anew; what was played and missed is reported. */

type Block = { epoch: number; firstSample: number; sound: Float32Array; other: Float32Array | null };

const FADE_SAMPLES = 240;
const REPORT_EVERY_SAMPLES = 512;
/** So much has to be there before an epoch begins to sound, or so much time has passed: the first blocks come unevenly. */
const FIRST_SAMPLES = 2048;
const LONGEST_WAIT_SAMPLES = 6144;
/** How long switching between two compared sessions is crossfaded. */
const SWITCH_SAMPLES = 240;

class Playback extends AudioWorkletProcessor {
  private blocks: Block[] = [];
  private epoch = -1;
  private offset = 0;
  private played = 0;
  private unreported = 0;
  private waited = 0;
  private fadeIn = 0;
  private fadeOut = 0;
  private last: [number, number] = [0, 0];
  private server: MessagePort | null = null;
  private missed = 0;
  /** 0 hears the session, 1 what it is compared with. */
  private side = 0;
  private wantedSide = 0;

  constructor() {
    super();
    this.port.onmessage = (
      event: MessageEvent<{ port?: MessagePort; silence?: number; forget?: boolean; side?: 0 | 1 }>,
    ) => {
      if (event.data.side !== undefined) this.wantedSide = event.data.side;
      if (event.data.port) {
        this.server = event.data.port;
        this.server.onmessage = (block: MessageEvent<Block>) => this.take(block.data);
      }
      if (event.data.forget) this.forget();
      if (event.data.silence !== undefined) this.begin(event.data.silence);
    };
  }

  private take(block: Block) {
    if (block.epoch < this.epoch) return;
    if (block.epoch > this.epoch) this.begin(block.epoch);
    this.blocks.push(block);
  }

  private begin(epoch: number) {
    if (epoch <= this.epoch) return;
    this.epoch = epoch;
    this.blocks = [];
    this.offset = 0;
    this.played = 0;
    this.unreported = 0;
    this.waited = 0;
    this.fadeIn = FADE_SAMPLES;
    this.fadeOut = FADE_SAMPLES;
  }

  /** What comes next counts its epochs anew; until then there is nothing to miss. */
  private forget() {
    this.epoch = -2;
    this.begin(-1);
  }

  /** Whether an epoch that has not begun yet goes on waiting. */
  private waits(nSamples: number): boolean {
    if (this.played > 0 || this.blocks.length === 0) return false;
    this.waited += nSamples;
    const queued = this.blocks.reduce((sum, block) => sum + block.sound.length / 2, 0);
    return queued < FIRST_SAMPLES && this.waited < LONGEST_WAIT_SAMPLES;
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const [left, right] = outputs[0] ?? [];
    if (!left || !right) return true;
    let starved = false;
    const waits = this.waits(left.length);
    for (let i = 0; i < left.length; i += 1) {
      let [l, r] = [0, 0];
      const block = waits ? undefined : this.blocks[0];
      if (block) {
        const length = block.sound.length / 2;
        l = block.sound[this.offset] ?? 0;
        r = block.sound[length + this.offset] ?? 0;
        if (this.side !== this.wantedSide) {
          const step = 1 / SWITCH_SAMPLES;
          this.side =
            this.wantedSide > this.side
              ? Math.min(this.wantedSide, this.side + step)
              : Math.max(this.wantedSide, this.side - step);
        }
        if (block.other && this.side > 0) {
          l += this.side * ((block.other[this.offset] ?? 0) - l);
          r += this.side * ((block.other[length + this.offset] ?? 0) - r);
        }
        this.offset += 1;
        this.played += 1;
        this.unreported += 1;
        if (this.offset >= length) {
          this.blocks.shift();
          this.offset = 0;
        }
        if (this.fadeIn > 0) {
          const gain = 1 - this.fadeIn / FADE_SAMPLES;
          [l, r] = [l * gain, r * gain];
          this.fadeIn -= 1;
        }
        this.last = [l, r];
      } else if (this.played > 0) {
        starved = true;
      }
      if (this.fadeOut > 0) {
        const gain = this.fadeOut / FADE_SAMPLES;
        l += this.last[0] * gain * gain;
        r += this.last[1] * gain * gain;
        this.fadeOut -= 1;
      }
      left[i] = l;
      right[i] = r;
    }
    if (starved) {
      this.missed += 1;
      this.port.postMessage({ missed: this.missed });
    }
    if (this.unreported >= REPORT_EVERY_SAMPLES) {
      this.server?.postMessage({ epoch: this.epoch, samples: this.played, missed: this.missed });
      this.unreported = 0;
    }
    return true;
  }
}

registerProcessor("gemischt-playback", Playback);
