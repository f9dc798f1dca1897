// Plays rendered sound: fetches it from the server in blocks and schedules them one after the other, to the sample.
import { getBinary } from "./api.ts";

interface Block { from: number; samples: number; channels: Float32Array[] }
export interface Level { peak: number[]; }

const FIRST = 0.2, NEXT = 1, AHEAD = 2.5; // seconds

export class Player {
  playing = false;
  what = "scene";
  private context?: AudioContext;
  private run = 0; // which play this is; older ones end themselves
  private begun = 0; // context time of the first sample
  private from = 0;
  private to = 0;
  private nodes: AudioBufferSourceNode[] = [];
  private blocks: Block[] = [];
  private stopper?: AbortController;
  private scene: string;
  private rate: number;
  private changed: () => void;

  constructor(scene: string, rate: number, changed: () => void) {
    [this.scene, this.rate, this.changed] = [scene, rate, changed];
  }

  /** Where it plays, in samples. */
  position(): number {
    if (!this.playing || !this.context) return this.from;
    const heard = this.context.currentTime - (this.context.outputLatency || 0);
    return Math.max(this.from, Math.min(this.to, this.from + Math.floor((heard - this.begun) * this.rate)));
  }

  /** Plays [from, to) of the scene, or of a part of it. */
  async play(from: number, to: number, what = "scene"): Promise<void> {
    this.stop();
    this.context ??= new AudioContext({ sampleRate: this.rate, latencyHint: "interactive" });
    if (this.context.state !== "running") void this.context.resume();
    const run = ++this.run;
    [this.from, this.to, this.what, this.playing] = [from, to, what, true];
    this.stopper = new AbortController();
    this.begun = Infinity;
    this.changed();
    let at = from, length = FIRST, waiting = this.fetch(at, Math.min(to, at + Math.round(length * this.rate)));
    try {
      while (at < to) {
        const block = await waiting;
        if (run !== this.run) return;
        at = block.from + block.samples;
        length = Math.min(NEXT, length * 2);
        if (at < to) waiting = this.fetch(at, Math.min(to, at + Math.round(length * this.rate)));
        this.schedule(block);
        while (run === this.run && this.begun + (at - from) / this.rate - this.context.currentTime > AHEAD) await pause(100);
        if (run !== this.run) return;
      }
      while (run === this.run && this.position() < to) await pause(30);
    } catch (e) {
      if (run !== this.run) return;
      this.stop();
      throw e;
    }
    if (run === this.run) this.stop();
  }

  private async fetch(from: number, to: number): Promise<Block> {
    const { data, headers } = await getBinary(`/scenes/${this.scene}/pcm?from=${from}&n=${to - from}&what=${this.what}`, this.stopper!.signal);
    const n = Number(headers.get("Blendseam-Channels")), all = new Float32Array(data), samples = all.length / n;
    const channels = Array.from({ length: n }, (_, c) => Float32Array.from({ length: samples }, (_, i) => all[i * n + c]));
    return { from, samples, channels };
  }

  private schedule(b: Block): void {
    const context = this.context!;
    const lead = 0.03;
    if (this.begun === Infinity) this.begun = context.currentTime + lead;
    let at = this.begun + (b.from - this.from) / this.rate;
    if (at < context.currentTime) { // late: everything after moves, nothing is skipped
      this.begun += context.currentTime + lead - at;
      at = context.currentTime + lead;
    }
    const buffer = context.createBuffer(b.channels.length, b.samples, this.rate);
    b.channels.forEach((ch, i) => buffer.copyToChannel(ch as Float32Array<ArrayBuffer>, i));
    const node = context.createBufferSource();
    node.buffer = buffer;
    node.connect(context.destination);
    node.start(at);
    this.nodes.push(node);
    this.blocks.push(b);
    if (this.blocks.length > 8) {
      this.blocks.shift();
      this.nodes.shift();
    }
  }

  stop(): void {
    if (!this.playing) return;
    this.from = this.position();
    this.playing = false;
    this.run++;
    this.stopper?.abort();
    for (const n of this.nodes) {
      try {
        n.stop();
      } catch { /* had ended */ }
    }
    this.nodes = [];
    this.blocks = [];
    this.changed();
  }

  /** The peaks of what is heard now, over the last 40 ms, by channel. */
  peaks(): number[] {
    if (!this.playing) return [];
    const end = this.position(), start = end - Math.round(0.04 * this.rate);
    const out: number[] = [];
    for (const b of this.blocks) {
      const a = Math.max(0, start - b.from), z = Math.min(b.samples, end - b.from);
      b.channels.forEach((ch, c) => {
        let most = out[c] ?? 0;
        for (let i = a; i < z; i++) most = Math.max(most, Math.abs(ch[i]));
        out[c] = most;
      });
    }
    return out;
  }
}

const pause = (ms: number) => new Promise((done) => setTimeout(done, ms));
