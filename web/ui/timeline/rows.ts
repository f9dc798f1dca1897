// Geometry of the timeline: rows of tracks, and what lies under a point. Pure functions.
import { type Curve, rise, usualFade } from "../model/curves.ts";
import { type Clip, clipAfter, type Lull, lullSpan, type Scene, type Track } from "../model/scene.ts";
import { toSample, toX, type View } from "../model/time.ts";
import { levelHit } from "./level-hit.ts";

export interface Row {
  track: Track;
  top: number;
  height: number;
  folded: boolean;
}
export type Grip =
  | "trim_gap"
  | "trim_close"
  | "roll"
  | "fade"
  | "body"
  | "lull"
  | "lull_fade"
  | "point"
  | "line"
  | "gain"
  | "bend";
export interface Hit {
  row: Row;
  clip: Clip;
  index: number;
  grip: Grip;
  edge?: "head" | "tail";
  lull?: Lull;
  point?: number; // of its level line
}

/** How tracks are shown; nothing of it is part of the scene. */
export interface Shown {
  scale: number;
  folded: string[];
  hidden: string[];
  wave: number;
  band: boolean; // for the peaks of speech, drawn on tracks of dialogue
}
export const asIs: Shown = { scale: 1, folded: [], hidden: [], wave: 1, band: false };

export const RULER = 34; // numbers and ticks, and under them the markers' names
const GAP = 4,
  FOLDED = 14;

export function rowsOf(s: Scene, scroll: number, shown: Shown = asIs): Row[] {
  let top = RULER + 2 - scroll;
  return s.tracks
    .filter((t) => !shown.hidden.includes(t.id))
    .map((track) => {
      const folded = shown.folded.includes(track.id);
      const height = folded
        ? FOLDED
        : Math.round((track.purpose === "picture" ? 44 : track.purpose === "dialogue" ? 50 : 38) * shown.scale);
      const row = { track, top, height, folded };
      top += height + GAP;
      return row;
    });
}

export const heightOf = (rows: Row[], scroll: number): number =>
  rows.length ? rows[rows.length - 1].top + rows[rows.length - 1].height + scroll : RULER;

export const rowAt = (rows: Row[], y: number): Row | undefined => rows.find((r) => y >= r.top && y < r.top + r.height);

/** The tracks of the rows from one height to another. */
export const rowsBetween = (rows: Row[], y0: number, y1: number): string[] =>
  rows.filter((r) => r.top + r.height > Math.min(y0, y1) && r.top < Math.max(y0, y1)).map((r) => r.track.id);

const REACH = 7; // pixels beside an edge

/** What lies under a point: a grip of a clip, or nothing. */
export function hit(rows: Row[], v: View, x: number, y: number, inHand = new Set<string>()): Hit | undefined {
  const row = rowAt(rows, y);
  if (!row) return undefined;
  const { track } = row,
    part = (y - row.top) / row.height;
  const at = toSample(v, x),
    clips = track.clips;
  const i = clipAfter(track, at - REACH * v.perPixel);
  let best: Hit | undefined,
    nearest = REACH + 0.01;
  for (let k = Math.max(0, i - 1); k < clips.length && toX(v, clips[k].from) < x + REACH; k++) {
    const clip = clips[k],
      left = toX(v, clip.from),
      right = toX(v, clip.to);
    if (right < x - REACH) continue;
    if (track.kind === "sound" && !row.folded && part < 0.28 && right - left > 50) {
      const head = left + Math.max(13, (clip.fade_in?.length ?? 0) / v.perPixel),
        tail = right - Math.max(13, (clip.fade_out?.length ?? 0) / v.perPixel);
      if (Math.abs(x - head) < 6) return { row, clip, index: k, grip: "fade", edge: "head" };
      if (Math.abs(x - tail) < 6) return { row, clip, index: k, grip: "fade", edge: "tail" };
    }
    if (track.kind === "sound" && !row.folded) {
      const h =
        lullHit(row, v, clip, x, y) ?? levelHit(row, v, clip, x, y, inHand.has(clip.id)) ?? fadeHit(row, v, clip, x, y);
      if (h) return { row, clip, index: k, ...h };
    }
    for (const edge of ["head", "tail"] as const) {
      const d = Math.abs(x - (edge === "head" ? left : right));
      const inside = edge === "head" ? x >= left : x < right;
      const other = edge === "head" ? clips[k - 1] : clips[k + 1],
        gap = other ? (edge === "head" ? left - toX(v, other.to) : toX(v, other.from) - right) : Infinity;
      // narrow clips and gaps can be taken hold of too
      const wide = Math.min(REACH, inside || gap === 0 ? (right - left) / 3 : gap / 3);
      if (d > wide || d > nearest || (d === nearest && !inside)) continue;
      const touching = other && (edge === "head" ? other.to === clip.from : other.from === clip.to);
      if (touching && !inside && part < 1 / 3) continue; // its neighbour's own grip
      if (touching && !inside && part > 2 / 3) continue;
      nearest = d;
      const grip: Grip = touching
        ? part < 1 / 3
          ? "trim_close"
          : part < 2 / 3
            ? "roll"
            : "trim_gap"
        : part < 0.5
          ? "trim_close"
          : "trim_gap";
      best = { row, clip, index: k, grip, edge };
    }
    if (!best && x >= left && x < right) best = { row, clip, index: k, grip: "body" };
  }
  return best;
}

/** Where the line of a fade lies in a row, from where it begins at 0 to where it is at full level at 1. */
export const fadeY = (row: { top: number; height: number }, curve: Curve, u: number): number =>
  row.top + row.height - 2 - (row.height - 4) * rise(curve, u);

/** The line of a fade, below the grip in its corner, which bends it. */
function fadeHit(
  row: Row,
  v: View,
  clip: Clip,
  x: number,
  y: number,
): { grip: "bend"; edge: "head" | "tail" } | undefined {
  for (const edge of ["head", "tail"] as const) {
    const fade = edge === "head" ? clip.fade_in : clip.fade_out,
      n = fade?.length ?? 0;
    if (n / v.perPixel < 24) continue;
    const u = Math.abs(x - toX(v, edge === "head" ? clip.from : clip.to)) / (n / v.perPixel),
      inside = edge === "head" ? x > toX(v, clip.from) : x < toX(v, clip.to),
      at = fadeY(row, fade?.curve ?? usualFade, u);
    if (inside && u > 0.1 && u < 0.9 && Math.abs(y - at) < 5) return { grip: "bend", edge };
  }
  return undefined;
}

/** How far down a lull's notch is drawn in a row. */
export const lullDepth = (row: { height: number }, l: Lull): number =>
  (row.height - 15) * (l.depth_db ? Math.min(0.9, 0.25 + l.depth_db / 45) : 0.94);

/** The edges of a lull are at its top, the ends of its fades at its floor. */
function lullHit(
  row: Row,
  v: View,
  clip: Clip,
  x: number,
  y: number,
): { grip: Grip; edge?: "head" | "tail"; lull: Lull } | undefined {
  for (const l of clip.lulls ?? []) {
    const s = lullSpan(clip, l),
      x0 = toX(v, s.from),
      x1 = toX(v, s.to),
      floor = row.top + lullDepth(row, l);
    if (x < x0 - 6 || x > x1 + 6 || y > floor + 5) continue;
    for (const [edge, at, shoulder] of [
      ["head", x0, x0 + l.fade_in / v.perPixel],
      ["tail", x1, x1 - l.fade_out / v.perPixel],
    ] as const) {
      if (Math.abs(y - floor) < 7 && Math.abs(x - shoulder) < 5 && Math.abs(shoulder - at) > 3)
        return { grip: "lull_fade", edge, lull: l };
      if (Math.abs(x - at) < Math.min(6, Math.max(2, (x1 - x0) / 4))) return { grip: "lull", edge, lull: l };
    }
    if (x >= x0 && x <= x1) return { grip: "lull", lull: l };
  }
  return undefined;
}

/** What a moment snaps to: the start, markers, ends of clips in the window but for some, and more. */
export function snapPoints(s: Scene, view: View, width: number, more: number[], but: Set<string>): number[] {
  const list = [0, ...more, ...(s.markers ?? []).map((m) => m.at)],
    last = view.from + width * view.perPixel;
  for (const t of s.tracks)
    for (let i = clipAfter(t, view.from); i < t.clips.length && t.clips[i].from < last; i++)
      if (!but.has(t.clips[i].id)) list.push(t.clips[i].from, t.clips[i].to);
  return list;
}

/** The moment among candidates nearest to a sample, within reach; the sample itself if there is none. */
export function snap(sample: number, candidates: number[], reach: number): number {
  let best = sample,
    distance = reach;
  for (const c of candidates) {
    const d = Math.abs(c - sample);
    if (d < distance) [best, distance] = [c, d];
  }
  return best;
}

/**
 * A range drawn by hand from one moment to another, no part of it before the scene. Both ends snap, but never to the
 * same moment; less than a frame is no range.
 */
export function rangeOf(
  a: number,
  b: number,
  frame: number,
  snapped: (at: number) => number,
  onFrame: (at: number) => number,
): { from: number; to: number } | undefined {
  let ends = [snapped(a), snapped(b)];
  if (ends[0] === ends[1]) ends = [onFrame(a), onFrame(b)];
  const from = Math.max(0, Math.min(...ends)),
    to = Math.max(0, ...ends);
  return to - from >= frame ? { from, to } : undefined;
}

/** Where the window lies in the strip, in pixels, at least wide enough to be taken hold of. */
export function windowOf(view: View, shown: number, perPixel: number): { from: number; to: number } {
  const from = view.from / perPixel,
    to = from + (shown * view.perPixel) / perPixel,
    lack = Math.max(0, 12 - (to - from)) / 2;
  return { from: from - lack, to: to + lack };
}
