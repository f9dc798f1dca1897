// Plays rendered sound: fetches it from the server in blocks and schedules them one after the other, to the sample.
// Several parts of a scene run side by side, of which one is heard, so that an audition switches between them at the
// same moment.
import { getBinary } from "../model/api.ts";

interface Block {
  from: number;
  at: number;
  samples: number;
  channels: Map<string, Float32Array[]>;
} // at: samples since the beginning
export interface Level {
  peak: number[];
}

const FIRST = 0.2,
  NEXT = 1,
  AHEAD = 2.5; // seconds
const FADE = 0.004; // seconds, from one part to another

export class Player {
  playing = false;
  what = "scene";
  looped = false;
  speed = 1;
  private context?: AudioContext;
  private run = 0; // which play this is; older ones end themselves
  private begun = 0; // context time of the first sample
  private from = 0;
  private to = 0;
  private nodes: AudioBufferSourceNode[] = [];
  private gains = new Map<string, GainNode>();
  private blocks: Block[] = [];
  private goesOn = new Map<string, string>(); // by part, where it is heard slower: what follows the block before
  private known = new Map<string, Float32Array[]>(); // of a loop, by part and place
  private stopper?: AbortController;
  private scene: string;
  private rate: number;
  private changed: () => void;

  constructor(scene: string, rate: number, changed: () => void) {
    [this.scene, this.rate, this.changed] = [scene, rate, changed];
  }

  /** Samples that have been heard since it began to play, rounds of a loop among them. */
  private heard(): number {
    const now = this.context!.currentTime - (this.context!.outputLatency || 0);
    return Math.max(0, Math.floor((now - this.begun) * this.rate * this.speed));
  }

  /** Where it plays, in samples. */
  position(): number {
    if (!this.playing || !this.context || this.begun === Infinity) return this.from;
    const length = this.to - this.from,
      heard = this.heard();
    return this.from + (this.looped ? heard % length : Math.min(length, heard));
  }

  /** Plays [from, to) of the scene, or of a part of it; beside holds the parts that one can switch to meanwhile. */
  async play(from: number, to: number, what = "scene", beside: string[] = []): Promise<void> {
    this.stop();
    this.context ??= new AudioContext({ sampleRate: this.rate, latencyHint: "interactive" });
    const context = this.context;
    if (context.state !== "running") void context.resume();
    const run = ++this.run,
      parts = [...new Set([what, ...beside])];
    [this.from, this.to, this.what, this.playing] = [from, to, what, true];
    this.stopper = new AbortController();
    this.begun = Infinity;
    this.known.clear();
    this.goesOn.clear();
    this.gains = new Map(
      parts.map((p) => {
        const gain = context.createGain();
        gain.gain.value = p === what ? 1 : 0;
        gain.connect(context.destination);
        return [p, gain];
      }),
    );
    this.changed();
    let done = 0,
      at = from,
      length = FIRST,
      waiting = this.fetch(parts, at, length, done);
    try {
      while (at < to) {
        const block = await waiting;
        if (run !== this.run) return;
        at = block.from + block.samples;
        done += block.samples;
        length = Math.min(NEXT, length * 2);
        // each round in the blocks of the first, which are kept
        if (at >= to && this.looped) {
          [at, length] = [from, FIRST];
          this.goesOn.clear();
        }
        if (at < to) waiting = this.fetch(parts, at, length, done);
        this.schedule(block);
        while (run === this.run && this.begun + done / this.rate / this.speed - context.currentTime > AHEAD)
          await pause(100);
        if (run !== this.run) return;
      }
      while (run === this.run && this.heard() < done) await pause(30);
    } catch (e) {
      if (run !== this.run) return;
      this.stop();
      throw e;
    }
    if (run === this.run) this.stop();
  }

  /** Lets another of the parts that run side by side be heard, from now on; false if it does not run. */
  hear(what: string): boolean {
    if (!this.playing || !this.gains.has(what)) return false;
    const now = this.context!.currentTime;
    for (const [p, g] of this.gains) g.gain.setTargetAtTime(p === what ? 1 : 0, now, FADE);
    this.what = what;
    this.changed();
    return true;
  }

  /** The parts that run side by side. */
  get parts(): string[] {
    return this.playing ? [...this.gains.keys()] : [];
  }

  /** Fetches a block; nobody need wait for one that is given up meanwhile. */
  private fetch(parts: string[], from: number, seconds: number, at: number): Promise<Block> {
    const block = this.block(parts, from, seconds, at);
    block.catch(() => undefined);
    return block;
  }

  private async block(parts: string[], from: number, seconds: number, at: number): Promise<Block> {
    const to = Math.min(this.to, from + Math.round(seconds * this.rate));
    const sounds = await Promise.all(parts.map((p) => this.part(p, from, to)));
    return { from, at, samples: to - from, channels: new Map(parts.map((p, i) => [p, sounds[i]])) };
  }

  private async part(what: string, from: number, to: number): Promise<Float32Array[]> {
    const key = `${what} ${from} ${to}`,
      kept = this.known.get(key);
    if (kept) return kept;
    const after = this.goesOn.get(what);
    const slow = this.speed < 1 ? `&slow=1${after ? `&goes_on=${after}` : ""}` : "";
    const { data, headers } = await getBinary(
      `/scenes/${this.scene}/pcm?from=${from}&n=${to - from}&${query(what)}${slow}`,
      this.stopper!.signal,
    );
    this.goesOn.set(what, headers.get("Blendseam-Goes-On")!);
    const n = Number(headers.get("Blendseam-Channels")),
      all = new Float32Array(data),
      samples = all.length / n;
    const channels = Array.from({ length: n }, (_, c) =>
      Float32Array.from({ length: samples }, (_, i) => all[i * n + c]),
    );
    if (this.looped) this.known.set(key, channels);
    return channels;
  }

  private schedule(b: Block): void {
    const context = this.context!;
    const lead = 0.03;
    if (this.begun === Infinity) this.begun = context.currentTime + lead;
    let at = this.begun + b.at / this.rate / this.speed;
    if (at < context.currentTime) {
      // late: everything after moves, nothing is skipped
      this.begun += context.currentTime + lead - at;
      at = context.currentTime + lead;
    }
    for (const [part, channels] of b.channels) {
      const buffer = context.createBuffer(channels.length, channels[0].length, this.rate);
      for (const [i, ch] of channels.entries()) buffer.copyToChannel(ch as Float32Array<ArrayBuffer>, i);
      const node = context.createBufferSource();
      node.buffer = buffer;
      node.connect(this.gains.get(part)!);
      node.start(at);
      this.nodes.push(node);
    }
    this.blocks.push(b);
    if (this.blocks.length > 8) {
      this.blocks.shift();
      this.nodes.splice(0, b.channels.size);
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
      } catch {
        /* had ended */
      }
    }
    for (const g of this.gains.values()) g.disconnect();
    this.nodes = [];
    this.blocks = [];
    this.changed();
  }

  /** The peaks of what is heard now, over the last 40 ms, by channel. */
  peaks(): number[] {
    if (!this.playing || this.begun === Infinity) return [];
    const end = this.heard(),
      start = end - Math.round(0.04 * this.rate * this.speed);
    const out: number[] = [];
    for (const b of this.blocks) {
      const a = Math.max(0, Math.round((start - b.at) / this.speed)),
        z = Math.min(b.samples, end - b.at) / this.speed;
      b.channels.get(this.what)?.forEach((ch, c) => {
        let most = out[c] ?? 0;
        for (let i = a; i < z; i++) most = Math.max(most, Math.abs(ch[i]));
        out[c] = most;
      });
    }
    return out;
  }
}

/** A part that begins with TRY is the scene as it would be after an edit, or, after a ?, what else is asked for. */
export const TRY = "try:";
/** An edit is about to be done: what would sound after another one cannot be heard any more. */
export const endsTrial = (p: Player): void => {
  if (p.playing && p.what.startsWith(TRY)) p.stop();
};
const query = (what: string): string =>
  what.startsWith(`${TRY}?`)
    ? `what=scene&${what.slice(TRY.length + 1)}`
    : what.startsWith(TRY)
      ? `what=scene&edit=${encodeURIComponent(what.slice(TRY.length))}`
      : `what=${encodeURIComponent(what)}`;

const pause = (ms: number) => new Promise((done) => setTimeout(done, ms));
