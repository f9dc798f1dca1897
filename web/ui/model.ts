// The scene as the page has it: what the server sent, with the changes it sent since. Nothing here decides what an edit does.
import { type Rate, sampleOf } from "./time.ts";

export interface Fade { length: number; curve: { shape: string; bend?: number } }
export interface Clip {
  id: string; source: string; name: string; in: number; start: number; length: number; gain_db?: number;
  fade_in?: Fade; fade_out?: Fade; link?: string; muted?: boolean;
  from: number; to: number; // samples, on every kind of track
}
export interface Blend { left: string; right: string; before: number; after: number; law: string }
export interface Track {
  id: string; kind: "picture" | "sound"; purpose: string; name: string; mute?: boolean; solo?: boolean; gain_db?: number; locked?: boolean;
  clips: Clip[]; blends?: Blend[] | null;
}
export interface Source { id: string; name: string; samples: number; frames?: number; channels?: number }
export interface Marker { id: string; at: number; name: string }
export interface Scene {
  name: string; sample_rate: number; channels: number; start_frame: number; tracks: Track[]; markers?: Marker[] | null;
  sources: Record<string, Source>; revision: number; undo: string; redo: string;
}
export interface TrackChanges { track: Track; set?: Clip[]; gone?: string[] | null }
export interface Changes { name?: string; markers?: Marker[] | null; sources?: Record<string, Source>; order?: string[]; tracks?: TrackChanges[] }

/** Where a clip lies, in samples. */
function place(s: Scene, rate: Rate, t: Track, c: Clip): Clip {
  const at = (v: number) => (t.kind === "picture" ? sampleOf(v, rate, s.sample_rate) : v);
  c.from = at(c.start);
  c.to = at(c.start + c.length);
  return c;
}

export function prepare(s: Scene, rate: Rate): Scene {
  for (const t of (s.tracks ??= [])) for (const c of (t.clips ??= [])) place(s, rate, t, c);
  return s;
}

/** Takes what the server says has changed. */
export function applyChanges(s: Scene, rate: Rate, c: Changes): void {
  if (c.name !== undefined) s.name = c.name;
  if (c.markers !== undefined) s.markers = c.markers;
  Object.assign(s.sources, c.sources);
  for (const tc of c.tracks ?? []) {
    const old = s.tracks.find((t) => t.id === tc.track.id);
    const clips = new Map((old?.clips ?? []).map((clip) => [clip.id, clip]));
    for (const id of tc.gone ?? []) clips.delete(id);
    for (const clip of tc.set ?? []) clips.set(clip.id, place(s, rate, tc.track, clip));
    const now: Track = { ...tc.track, clips: [...clips.values()].sort((a, b) => a.start - b.start) };
    if (old) s.tracks[s.tracks.indexOf(old)] = now;
    else s.tracks.push(now);
  }
  if (c.order) {
    const order = c.order;
    s.tracks = s.tracks.filter((t) => order.includes(t.id)).sort((a, b) => order.indexOf(a.id) - order.indexOf(b.id));
  }
}

export const endOf = (s: Scene): number => Math.max(0, ...s.tracks.map((t) => t.clips.at(-1)?.to ?? 0));

/** The first of a track's clips that ends after a sample. */
export function clipAfter(t: Track, sample: number): number {
  let low = 0, high = t.clips.length;
  while (low < high) {
    const mid = (low + high) >> 1;
    if (t.clips[mid].to > sample) high = mid;
    else low = mid + 1;
  }
  return low;
}

/** The clip of a track that lies over a sample. */
export function clipAt(t: Track, sample: number): Clip | undefined {
  const c = t.clips[clipAfter(t, sample)];
  return c && c.from <= sample ? c : undefined;
}

export function findClip(s: Scene, id: string): { track: Track; clip: Clip; index: number } | undefined {
  for (const track of s.tracks) {
    const index = track.clips.findIndex((c) => c.id === id);
    if (index >= 0) return { track, clip: track.clips[index], index };
  }
  return undefined;
}

export const blendAt = (t: Track, left: string, right: string): Blend | undefined => t.blends?.find((b) => b.left === left && b.right === right);

/** How far an edge of a clip may go, in samples: to the end of its recording, its neighbour, and not past its other end. */
export function edgeLimits(s: Scene, rate: Rate, t: Track, index: number, edge: "head" | "tail", close: boolean): { low: number; high: number } {
  const c = t.clips[index], src = s.sources[c.source];
  const unit = (v: number) => (t.kind === "picture" ? sampleOf(v, rate, s.sample_rate) : v);
  const least = sampleOf(1, rate, s.sample_rate);
  const whole = src ? (t.kind === "picture" ? src.frames ?? 0 : src.samples) : Infinity;
  if (edge === "head") {
    let low = c.from - unit(c.in);
    if (!close && index > 0) low = Math.max(low, t.clips[index - 1].to);
    return { low: close ? low : Math.max(0, low), high: c.to - least };
  }
  let high = c.to + unit(whole) - unit(c.in + c.length);
  if (!close && index + 1 < t.clips.length) high = Math.min(high, t.clips[index + 1].from);
  return { low: c.from + least, high };
}
