// What a drag in the timeline would do: how far within what is possible, in words, as an edit, and the pictures it
// shows meanwhile. Pure functions; whether the edit can really be done is decided by the server.

import { clock } from "../model/clock.ts";
import { bendWords, bentCurve, type Curve, usualFade } from "../model/curves.ts";
import { decimal } from "../model/level.ts";
import {
  beside,
  findClip,
  type Lull,
  linked,
  lullSpan,
  type Placed,
  pictureOf,
  type Scene,
  type Track,
} from "../model/scene.ts";
import { frameOf, frames, type Rate } from "../model/time.ts";
import type { Reach } from "../wire/edit.ts";
import type { LevelPoint } from "../wire/scene.ts";
import type { Gesture } from "./gesture.ts";
import { type LevelPull, pulledGain, pulledLine } from "./level-hit.ts";
import { type Overlap, type Overlapping, overlapOf } from "./overlap.ts";
import type { Grip } from "./rows.ts";
import type { Still } from "./stills.ts";
import { edgeStills, slideStills, slipStills } from "./stills.ts";

export interface Pull {
  doing: Gesture;
  at: Placed;
  edge?: "head" | "tail";
  reach?: Reach; // as the server says, of what it limits
  raw: number; // samples that the hand moved
  drawn: (sample: number) => number; // snapped, else on a frame
  whole: (samples: number) => number; // a length in whole frames, unless the view is very close
  also: string[]; // clips that move along
  target?: Track; // where a moved clip would go
  lull?: Lull; // whose edge or fade is drawn
  level?: LevelPull; // of a point of its line, or a stretch of it
  overlaps?: Overlapping; // how, where it is drawn over its neighbour
}

export interface Outcome {
  delta: number;
  words: string[];
  edit?: Record<string, unknown>;
  stills: Still[];
  line?: LevelPoint[]; // the level line as it would be
  gain?: number; // dB, of the clip under the hand, as it would be
  curve?: Curve; // of its fade
  low?: number;
  high?: number;
  overlap?: Overlap; // with a neighbour, where they would be blended
}

/** What a grip does, with the keys that are held. */
export function doingOf(grip: Grip, e: { altKey: boolean; ctrlKey: boolean; metaKey: boolean }): Gesture {
  if (grip === "body") return e.altKey ? "slip" : e.ctrlKey || e.metaKey ? "slide" : "move";
  return grip === "roll" && e.altKey ? "split" : grip;
}

const clamp = (v: number, low: number, high: number) => Math.min(Math.max(v, low), Math.max(low, high));
const longer = (n: number) => (n < 0 ? "shorter" : "longer"),
  later = (n: number) => (n < 0 ? "earlier" : "later");

export function outcome(s: Scene, rate: Rate, p: Pull): Outcome {
  const f = (n: number) => frames(n, rate, s.sample_rate),
    c = p.at.clip;
  const tc = (at: number) => clock(s, rate, at);
  switch (p.doing) {
    case "move": {
      const start = p.drawn(c.from + p.raw),
        end = p.drawn(c.to + p.raw);
      const byEnd = Math.abs(end - c.to - p.raw) < Math.abs(start - c.from - p.raw);
      const delta = Math.max(byEnd ? end - c.to : start - c.from, -c.from),
        other = p.target && p.target !== p.at.track ? p.target : undefined;
      const words = [
        delta === 0
          ? "where it was"
          : `${p.also.length ? `${p.also.length + 1} clips ` : ""}${f(delta)} ${later(delta)}`,
      ];
      if (other) words.push(`to ${other.name}`);
      const overlap = p.also.length || other || !p.overlaps ? undefined : overlapOf(p.at, delta, p.overlaps);
      if (overlap) {
        const { edit, from, to, with: name } = overlap,
          rest = edit.close ? "all that follows moves along" : "all that follows stays";
        return { delta, words: [`overlaps ${name} by ${f(to - from)}, blended`, rest], edit, stills: [], overlap };
      }
      words.push(`begins ${tc(c.from + delta)}`);
      const edit =
        delta || other
          ? {
              edit: "move",
              clip: c.id,
              to: c.from + delta,
              ...(other ? { track: other.id } : {}),
              ...(p.also.length ? { also: p.also } : {}),
            }
          : undefined;
      return { delta, words, edit, stills: [] };
    }
    case "fade": {
      const was = (p.edge === "head" ? c.fade_in : c.fade_out) ?? { length: 0, curve: usualFade };
      const room = c.to - c.from - ((p.edge === "head" ? c.fade_out?.length : c.fade_in?.length) ?? 0);
      const delta = clamp(p.whole(was.length + (p.edge === "head" ? p.raw : -p.raw)), 0, room) - was.length,
        length = was.length + delta;
      const edit = delta
        ? { edit: "fade", clip: c.id, edge: p.edge, length, curve: was.length ? was.curve : usualFade }
        : undefined;
      return { delta, words: [length === 0 ? "no fade" : `fade over ${f(length)}`], edit, stills: [] };
    }
    case "bend": {
      const head = p.edge === "head",
        was = (head ? c.fade_in : c.fade_out)!,
        curve = bentCurve(was.curve, -2 * (p.level?.down ?? 0)),
        edit = { edit: "fade", clip: c.id, edge: p.edge, length: was.length, curve };
      return { delta: 0, words: [bendWords(curve)], edit, stills: [], curve };
    }
    case "gain": {
      const gain = pulledGain(c, p.level!),
        by = Math.round(10 * (gain - (c.gain_db ?? 0))) / 10,
        ids = [c.id, ...p.also],
        edits = ids.map((id) => {
          const was = findClip(s, id)?.clip.gain_db ?? 0;
          return { edit: "gain", clips: [id], db: decimal(was + by) };
        }),
        signed = (v: number) => `${v < 0 ? "" : "+"}${v.toFixed(1)} dB`;
      const words = `${ids.length > 1 ? `${ids.length} clips ` : ""}gain ${ids.length > 1 ? signed(by) : signed(gain)}`;
      const edit = edits.length === 1 ? edits[0] : { edit: "several", edits, words };
      return { delta: 0, words: [words], edit: by ? edit : undefined, stills: [], gain };
    }
    case "lull":
    case "lull_fade":
      return lullOutcome(p, f);
    case "point":
    case "line": {
      const { line, words } = pulledLine(c, p.level!),
        point = p.level!.point;
      return {
        delta: 0,
        words: point === undefined ? [words] : [words, `at ${tc(line[point].at + c.start - c.in)}`],
        edit: { edit: "set_level", clip: c.id, points: line },
        stills: [],
        line,
      };
    }
    case "slip": {
      const { low, high } = reachOf(p);
      const by = clamp(p.whole(-p.raw), low, high);
      const left = by < 0 ? by - low : high - by;
      const words = [by === 0 ? "shows what it did" : `shows its recording from ${f(by)} ${later(by)}`];
      if (left < 1e12) words.push(`${f(left)} of handle left`);
      return {
        delta: by,
        words,
        edit: by ? { edit: "slip", clip: c.id, by } : undefined,
        stills: slipStills(s, rate, p.at, by),
      };
    }
    case "slide": {
      const { low, high } = reachOf(p);
      const by = clamp(p.drawn(c.from + p.raw) - c.from, low, high);
      const words = [
        by === 0 ? "where it was" : `${f(by)} ${later(by)} between its neighbours`,
        `begins ${tc(c.from + by)}`,
      ];
      return {
        delta: by,
        words,
        edit: by ? { edit: "slide", clip: c.id, by } : undefined,
        stills: slideStills(s, rate, p.at, by),
      };
    }
  }
  return edgeOutcome(s, rate, p, f);
}

/** An edge of a lull stays in its clip, and its fades in the lull. Taken by its middle a lull moves as a whole. */
function lullOutcome(p: Pull, f: (n: number) => string): Outcome {
  const l = p.lull!,
    c = p.at.clip,
    s = lullSpan(c, l),
    head = p.edge === "head",
    base = { edit: "set_lull", clip: c.id, lull: l.id };
  if (p.doing === "lull_fade") {
    const was = head ? l.fade_in : l.fade_out,
      room = l.to - l.from - (head ? l.fade_out : l.fade_in);
    const length = clamp(was + Math.round(head ? p.raw : -p.raw), 0, room),
      delta = length - was;
    return {
      delta,
      words: [`goes ${head ? "down" : "up"} over ${f(length)}`],
      edit: delta ? { ...base, [head ? "fade_in" : "fade_out"]: length } : undefined,
      stills: [],
    };
  }
  if (!p.edge) {
    const delta = clamp(p.drawn(s.from + p.raw) - s.from, c.from - s.from, c.to - s.to);
    return {
      delta,
      words: [delta ? `lull ${f(delta)} ${later(delta)}` : "where it was"],
      edit: delta ? { ...base, from: s.from + delta, to: s.to + delta } : undefined,
      stills: [],
    };
  }
  const at = head ? s.from : s.to,
    to = clamp(p.drawn(at + p.raw), head ? c.from : s.from + 2, head ? s.to - 2 : c.to),
    delta = to - at,
    by = head ? -delta : delta;
  const edit = delta ? { ...base, [head ? "from" : "to"]: to } : undefined;
  return { delta, words: [by === 0 ? "lull as it was" : `lull ${f(by)} ${longer(by)}`], edit, stills: [] };
}

function edgeOutcome(s: Scene, rate: Rate, p: Pull, f: (n: number) => string): Outcome {
  const c = p.at.clip,
    edge = p.edge!,
    at = edge === "head" ? c.from : c.to,
    close = p.doing === "trim_close",
    rolls = p.doing === "roll" || p.doing === "split";
  const other = rolls ? beside(p.at, edge) : undefined;
  const reach = reachOf(p);
  const [low, high] = [at + reach.low, at + reach.high];
  const delta = clamp(p.drawn(at + p.raw), low, high) - at,
    by = edge === "tail" ? delta : -delta,
    words: string[] = [];
  const [left, right] = edge === "head" ? [other?.clip.id, c.id] : [c.id, other?.clip.id];
  let edit: Record<string, unknown> | undefined;
  if (p.doing === "split") {
    const picture = splitFrom(s, p.at, edge, other),
      lead = picture === undefined ? undefined : picture - at - delta;
    const n = lead === undefined ? 0 : Math.round((lead * rate.num) / (rate.den * s.sample_rate));
    words.push(lead === undefined ? "this cut has no picture" : leadWords(n));
    edit = delta && lead !== undefined ? { edit: "lead", left, right, frames: n } : undefined;
  } else if (p.doing === "roll") {
    words.push(delta === 0 ? "cut where it was" : `cut ${f(delta)} ${later(delta)}`);
    edit = delta ? { edit: "roll", left, right, to: at + delta } : undefined;
  } else {
    const n = frameOf(c.to - c.from + by, rate, s.sample_rate),
      r = rate.nominal;
    words.push(
      by === 0 ? `${edge} where it was` : `${edge} ${f(by)} ${longer(by)}`,
      `clip ${Math.floor(n / r)}:${String(n % r).padStart(2, "0")}`,
    );
    if (close) words.push(by === 0 ? "scene length kept" : `all after it ${f(by)} ${later(by)}`);
    edit = delta ? { edit: "trim", clip: c.id, edge, to: at + delta, close } : undefined;
  }
  const rest = edge === "head" ? at + delta - low : high - at - delta;
  if (rest < 1e12) words.push(`${f(rest)} of ${close || rolls ? "handle" : "room"} left`);
  return {
    delta,
    words,
    edit,
    stills: p.doing === "split" ? [] : edgeStills(s, rate, p.at, edge, delta, p.doing),
    low,
    high,
  };
}

export const leadWords = (n: number): string =>
  n === 0
    ? "straight cut"
    : `sound ${n > 0 ? "leads" : "trails"} by ${Math.abs(n)} ${Math.abs(n) === 1 ? "frame" : "frames"}`;

/** Where the picture of a sound's cut is cut, in samples. */
function splitFrom(s: Scene, p: Placed, edge: "head" | "tail", other: Placed | undefined): number | undefined {
  const incoming = edge === "head" ? p : other,
    outgoing = edge === "head" ? other : p;
  const head = incoming && incoming.track.kind === "sound" ? pictureOf(s, incoming) : undefined;
  if (head) return head.clip.from;
  const tail = outgoing && outgoing.track.kind === "sound" ? pictureOf(s, outgoing) : undefined;
  return tail?.clip.to;
}

/** The limits of what is in hand; none are known until the server has said them. */
const reachOf = (p: Pull): Reach => p.reach ?? { low: 0, high: 0, goes: [], rest: -1, turns: false };

// --- the outline ---

/**
 * How clips would lie: by how much their heads and tails move, how much later in its recording a clip would begin,
 * and from when on all that follows moves.
 */
export interface Outline {
  ends: Map<string, { head: number; tail: number; shows: number }>;
  after?: { at: number; by: number };
}

export function outlineOf(s: Scene, p: Pull, delta: number): Outline {
  const ends: Outline["ends"] = new Map();
  if (p.doing === "move") {
    for (const id of [p.at.clip.id, ...p.also]) {
      const one = id === p.at.clip.id ? p.at : findClip(s, id);
      for (const x of one ? linked(s, one) : []) ends.set(x.clip.id, { head: delta, tail: delta, shows: 0 });
    }
    return { ends };
  }
  const { goes, rest, turns } = reachOf(p);
  for (const g of goes) {
    const was = ends.get(g.clip) ?? { head: 0, tail: 0, shows: 0 };
    const [head, tail] = [was.head + g.head * delta, was.tail + g.tail * delta];
    ends.set(g.clip, { head, tail, shows: was.shows + g.shows * delta });
  }
  return rest < 0 ? { ends } : { ends, after: { at: rest, by: turns ? -delta : delta } };
}
