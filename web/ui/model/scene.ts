import type * as wire from "../wire/scene.ts";
import type * as web from "../wire/web.ts";
import { nearestFrame, type Rate, sampleOf } from "./time.ts";

export type { Curve } from "../wire/blend.ts";
export type { Blend, Fade, Lull, Marker, Pair, Source, Stretch } from "../wire/scene.ts";

type Blend = wire.Blend;
type Lull = wire.Lull;

/** A clip, and where it lies in samples on every kind of track. */
export interface Clip extends wire.Clip {
  from: number;
  to: number;
}
export interface Track extends wire.Track {
  clips: Clip[];
}
/** The scene at the revision that the page shows. */
export interface Scene extends web.StateView {
  tracks: Track[];
}
export type Changes = web.Changes;

/** The tail of `left` where there is no `right`, the head of `right` where there is no `left`, else their cut. */
export interface Edge {
  left?: string;
  right?: string;
}
export interface Placed {
  track: Track;
  clip: Clip;
  index: number;
}

/** Where a clip lies, in samples. */
function place(s: wire.Scene, rate: Rate, t: wire.Track, clip: wire.Clip): Clip {
  const c = clip as Clip;
  const at = (v: number) => (t.kind === "picture" ? sampleOf(v, rate, s.sample_rate) : v);
  c.from = at(c.start);
  c.to = at(c.start + c.length);
  return c;
}

export function prepare(s: web.StateView, rate: Rate): Scene {
  for (const t of s.tracks) for (const c of t.clips) place(s, rate, t, c);
  return s as Scene;
}

/** Takes what the server says has changed. */
export function applyChanges(s: Scene, rate: Rate, c: Changes): void {
  if (c.name !== undefined) s.name = c.name;
  if (c.markers !== undefined) s.markers = c.markers;
  if (c.pairs !== undefined) s.pairs = c.pairs;
  Object.assign(s.sources, c.sources);
  for (const tc of c.tracks ?? []) {
    const old = s.tracks.find((t) => t.id === tc.track.id);
    const clips = new Map((old?.clips ?? []).map((clip) => [clip.id, clip]));
    for (const id of tc.gone ?? []) clips.delete(id);
    for (const { by, ids } of tc.moved ?? [])
      for (const id of ids) {
        const clip = clips.get(id)!;
        clips.set(id, place(s, rate, tc.track, { ...clip, start: clip.start + by }));
      }
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

/** Where a lull lies in the scene. */
export const lullSpan = (c: Clip, l: Lull): { from: number; to: number } => ({
  from: l.from + c.start - c.in,
  to: l.to + c.start - c.in,
});

export const endOf = (s: Scene): number => Math.max(0, ...s.tracks.map((t) => t.clips.at(-1)?.to ?? 0));

/** The first of a track's clips that ends after a sample. */
export function clipAfter(t: Track, sample: number): number {
  let low = 0,
    high = t.clips.length;
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

const indices = new WeakMap<Track, Map<string, number>>(),
  blendsOf = new WeakMap<Track, Map<string, Blend>>();

/** The index of a clip on a track; tracks are replaced, never changed, when an edit touches them. */
function indexOf(t: Track, id: string): number | undefined {
  let m = indices.get(t);
  if (!m) indices.set(t, (m = new Map(t.clips.map((c, i) => [c.id, i]))));
  return m.get(id);
}

export const hasClip = (t: Track, id: string): boolean => indexOf(t, id) !== undefined;

export function findClip(s: Scene, id: string): Placed | undefined {
  for (const track of s.tracks) {
    const index = indexOf(track, id);
    if (index !== undefined) return { track, clip: track.clips[index], index };
  }
  return undefined;
}

export function blendAt(t: Track, left: string, right: string): Blend | undefined {
  let m = blendsOf.get(t);
  if (!m) blendsOf.set(t, (m = new Map((t.blends ?? []).map((b) => [b.left, b]))));
  const b = m.get(left);
  return b?.right === right ? b : undefined;
}

/** How far a blend reaches from its cut, in samples: on a track of pictures it is counted in frames. */
export function reachOf(s: Scene, rate: Rate, t: Track, b: Blend, cut: number): { before: number; after: number } {
  if (t.kind === "sound") return b;
  const sr = s.sample_rate,
    at = nearestFrame(cut, rate, sr);
  return { before: cut - sampleOf(at - b.before, rate, sr), after: sampleOf(at + b.after, rate, sr) - cut };
}

/** What is seen at a frame of the scene: a clip's frame and, in a dissolve, that of the next, and how much of it. */
export function seenAt(
  s: Scene,
  rate: Rate,
  frame: number,
): { source: string; frame: number; over?: { source: string; frame: number; share: number } } | undefined {
  const t = s.tracks.find((x) => x.kind === "picture"),
    clip = t && clipAt(t, sampleOf(frame, rate, s.sample_rate));
  if (!t || !clip) return undefined;
  const i = t.clips.indexOf(clip),
    of = (c: Clip) => ({ source: c.source, frame: c.in + frame - c.start });
  for (const k of [i, i + 1]) {
    const [left, right] = [t.clips[k - 1], t.clips[k]],
      b = left && right && blendAt(t, left.id, right.id),
      into = b ? frame - (right.start - b.before) : -1;
    if (b && into >= 0 && into < b.before + b.after)
      return { ...of(left), over: { ...of(right), share: (into + 0.5) / (b.before + b.after) } };
  }
  return of(clip);
}

/** A clip and all that are linked with it. */
export function linked(s: Scene, p: Placed): Placed[] {
  if (!p.clip.link) return [p];
  const all = s.tracks.flatMap((track) =>
    track.clips.flatMap((clip, index) =>
      clip.link === p.clip.link && clip.id !== p.clip.id ? [{ track, clip, index }] : [],
    ),
  );
  return [p, ...all];
}

/** The picture that belongs to a clip: itself, or the first linked one. */
export const pictureOf = (s: Scene, p: Placed): Placed | undefined =>
  p.track.kind === "picture" ? p : p.clip.link ? linked(s, p).find((x) => x.track.kind === "picture") : undefined;

/** The neighbour that touches a clip at an edge. */
export function beside(p: Placed, edge: "head" | "tail"): Placed | undefined {
  const index = edge === "head" ? p.index - 1 : p.index + 1,
    clip = p.track.clips[index];
  return clip && (edge === "head" ? clip.to === p.clip.from : clip.from === p.clip.to)
    ? { track: p.track, clip, index }
    : undefined;
}

/** Where an edge lies, in samples; undefined if its clip has gone. */
export function edgeAt(s: Scene, x: Edge): number | undefined {
  const p = findClip(s, x.right ?? x.left ?? "");
  return p && (x.right ? p.clip.from : p.clip.to);
}

/** Stretches of a track where nothing lies, up to its last clip. */
export function gaps(t: Track): { from: number; to: number }[] {
  const list: { from: number; to: number }[] = [];
  let at = 0;
  for (const c of t.clips) {
    if (c.from > at) list.push({ from: at, to: c.from });
    at = c.to;
  }
  return list;
}

/** The unused recording ahead of a clip's head and behind its tail, in samples. */
export function handles(s: Scene, rate: Rate, p: Placed): { head: number; tail: number } {
  const { track: t, clip: c } = p,
    src = s.sources[c.source],
    picture = t.kind === "picture";
  const unit = (v: number) => (picture ? sampleOf(v, rate, s.sample_rate) : v);
  const whole = src ? (picture ? (src.frames ?? 0) : src.samples) : Infinity;
  return { head: unit(c.in), tail: unit(whole) - unit(c.in + c.length) };
}
