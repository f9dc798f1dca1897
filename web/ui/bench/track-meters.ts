// The meters beside the tracks' names, and the loudness of the scene: how loud it is comes from the server ahead of
// what is heard. Peaks over the band and over full scale are remembered with their places.
import { get } from "../model/api.ts";
import type { Scene } from "../model/scene.ts";
import type { MetersAnswer } from "../wire/web.ts";

const AHEAD_S = 4; // fetched at once
const LOW = -48; // dB, the left end
const BAND = -6;
const FALLS = 20; // dB a second
const HOLD_S = 1.5;
const DRAWN_S = 0.05;
const SAID = 10; // steps, of what is said of tracks

/** Loudness of a mean of powers over channels (ITU-R BS.1770-4). */
export function lufs(powers: number[]): number {
  const mean = powers.reduce((a, b) => a + b, 0) / Math.max(1, powers.length);
  return mean > 0 ? Math.max(-70, -0.691 + 10 * Math.log10(mean)) : -70;
}

export interface Over {
  at: number;
  db: number;
  track: string; // its id; "" is the scene over full scale
}

/** Places over the band on tracks of dialogue, and over full scale in the scene, as those of an answer begin. */
export function oversIn(a: MetersAnswer, dialogue: (track: string) => boolean): Over[] {
  const list: Over[] = [];
  const look = (peaks: number[], most: number, track: string) => {
    for (let i = 0; i < peaks.length; i++)
      if (peaks[i] > most && !(i > 0 && peaks[i - 1] > most))
        list.push({ at: a.from + i * a.step, db: peaks[i], track });
  };
  look(a.scene.peak_dbfs, -0.05, "");
  for (const t of a.tracks) if (dialogue(t.track)) look(t.peak_dbfs, BAND, t.track);
  return list;
}

export class TrackMeters {
  overs: Over[] = []; // in order of time
  private id: string;
  private scene: () => Scene;
  private parts: MetersAnswer[] = [];
  private asking = -1;
  private bars = new Map<string, { shown: number; held: number; since: number }>();
  private most = new Map<string, number>(); // dBTP since it began to play, by track; "" is the scene
  private reached = -1; // the step up to which true peaks were taken, by its sample
  private said = -1; // the step whose loudness stands there
  lit = false; // something is left to fall
  private waited = 0; // seconds since it was drawn

  constructor(id: string, scene: () => Scene) {
    [this.id, this.scene] = [id, scene];
  }

  /** It begins to play anew. */
  reset(): void {
    this.most.clear();
    this.overs = [];
    this.parts = [];
    this.asking = this.said = this.reached = -1;
    this.waited = DRAWN_S;
  }

  private at(sample: number): MetersAnswer | undefined {
    return this.parts.find((p) => sample >= p.from && sample < p.from + p.scene.power.length * p.step);
  }

  private async ask(from: number): Promise<void> {
    if (this.asking >= from && this.asking >= 0) return;
    this.asking = from;
    const n = AHEAD_S * this.scene().sample_rate,
      got = await get<MetersAnswer>(`/scenes/${this.id}/meters?from=${Math.round(from)}&n=${n}`).catch(() => undefined);
    if (!got) return;
    this.parts = [...this.parts.slice(-4), got];
    const dialogue = (id: string) => this.scene().tracks.find((t) => t.id === id)?.purpose === "dialogue";
    this.overs = [...this.overs, ...oversIn(got, dialogue)].sort((a, b) => a.at - b.at);
  }

  /** Shows what is heard at a moment, or lets the bars fall. */
  show(at: number, playing: boolean, since: number): void {
    if (!playing && !this.lit) return;
    this.waited += since;
    if (this.waited < DRAWN_S) return;
    const seconds = this.waited;
    this.waited = 0;
    this.lit = false;
    const rate = this.scene().sample_rate,
      part = playing ? this.at(at) : undefined;
    if (playing) {
      if (!part) void this.ask(Math.max(0, at));
      else {
        const end = part.from + part.scene.power.length * part.step;
        if (end - at < 2 * rate && !this.at(end)) void this.ask(end);
      }
    }
    const i = part ? Math.floor((at - part.from) / part.step) : 0;
    if (part) this.reach(part, i);
    for (const el of document.querySelectorAll<HTMLElement>("[data-meter]")) {
      const id = el.dataset.meter!,
        db = part?.tracks.find((t) => t.track === id)?.peak_dbfs[i] ?? -120,
        bar = this.bars.get(id) ?? { shown: LOW, held: LOW, since: 0 };
      bar.shown = Math.max(LOW, db, bar.shown - FALLS * seconds);
      bar.since += seconds;
      if (db >= bar.held || bar.since > HOLD_S) [bar.held, bar.since] = [Math.max(LOW, db), 0];
      this.bars.set(id, bar);
      this.lit ||= bar.shown > LOW || bar.held > LOW;
      for (const [name, v] of [
        ["--level", bar.shown],
        ["--held", bar.held],
        ["--true", this.most.get(id) ?? LOW],
      ] as const) {
        const now = `${width(v)}%`;
        if (el.style.getPropertyValue(name) !== now) el.style.setProperty(name, now);
      }
      el.classList.toggle("over", bar.held > BAND);
      if (part && i % SAID === 0 && i !== this.said) el.title = this.words(part, i, id, bar.held);
    }
    if (!part) return;
    const words = document.getElementById("loudness"),
      overs = document.getElementById("overs"),
      met = this.overs.filter((o) => o.at <= at).length;
    if (words && i !== this.said)
      words.textContent = `${this.loudness(part, i, (p) => p.scene.power)}\n` + `TP ${this.truePeak("")}`;
    if (overs && overs.hidden === met > 0) overs.hidden = !met;
    if (overs && overs.textContent !== `${met} over`) overs.textContent = `${met} over`;
    this.said = i;
  }

  /** Takes the true peaks of all steps that were played for the largest, where they are. */
  private reach(part: MetersAnswer, i: number): void {
    const at = part.from + i * part.step,
      from = this.reached >= part.from && this.reached < at ? (this.reached - part.from) / part.step + 1 : i;
    if (at === this.reached) return;
    this.reached = at;
    const take = (id: string, peaks: number[]) =>
      this.most.set(id, Math.max(this.most.get(id) ?? -120, ...peaks.slice(from, i + 1)));
    take("", part.scene.peak_dbtp);
    for (const t of part.tracks) take(t.track, t.peak_dbtp);
  }

  /** The largest true peak of a track, or of the scene, since it began to play. */
  private truePeak(id: string): string {
    const db = this.most.get(id) ?? -120;
    return db < -99 ? "–" : db.toFixed(1);
  }

  /** Momentary and short-term loudness at a step of a part. */
  private loudness(part: MetersAnswer, i: number, of: (p: MetersAnswer) => number[] | undefined): string {
    const powers = this.parts.flatMap((p) => (p.from <= part.from ? (of(p) ?? []) : [])),
      until = powers.length - (of(part)?.length ?? 0) + i + 1,
      last = (ms: number) => lufs(powers.slice(Math.max(0, until - ms / 50), until)).toFixed(1);
    return `M ${last(400)} S ${last(3000)}`;
  }

  /** What a track's meter says when one points at it. */
  private words(part: MetersAnswer, i: number, id: string, held: number): string {
    const name = this.scene().tracks.find((t) => t.id === id)?.name ?? "",
      of = (p: MetersAnswer) => p.tracks.find((t) => t.track === id)?.power;
    if (!of(part)) return `${name} is silent`;
    const figures = `${this.loudness(part, i, of)} LUFS, peak ${held.toFixed(1)} dBFS`;
    return `${name}: ${figures}, at most ${this.truePeak(id)} dBTP`;
  }

  /** The first place after a moment that was over, or the first of all. */
  next(after: number): Over | undefined {
    return this.overs.find((o) => o.at > after) ?? this.overs[0];
  }
}

const width = (db: number) => Math.round((1000 * (Math.max(LOW, Math.min(0, db)) - LOW)) / -LOW) / 10;
