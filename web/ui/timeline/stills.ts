// The pictures that a drag shows: last outgoing and first incoming, as they would be.

import type { Placed, Scene } from "../model/scene.ts";
import { beside, pictureOf } from "../model/scene.ts";
import type { Rate } from "../model/time.ts";
import { frameOf, nearestFrame, sampleOf } from "../model/time.ts";
import type { Gesture } from "./gesture.ts";

export interface Still {
  words: string;
  source: string;
  frame: number;
  at: number;
}

function still(s: Scene, rate: Rate, words: string, p: Placed, frame: number, at: number): Still {
  const most = (s.sources[p.clip.source]?.frames ?? 1) - 1;
  return {
    words,
    source: p.clip.source,
    frame: Math.max(0, Math.min(most, frame)),
    at: frameOf(Math.max(0, at), rate, s.sample_rate),
  };
}

const whole = (s: Scene, rate: Rate, samples: number) =>
  (samples < 0 ? -1 : 1) * nearestFrame(Math.abs(samples), rate, s.sample_rate);

/** The last outgoing and the first incoming frame beside an edge that moves. */
export function edgeStills(
  s: Scene,
  rate: Rate,
  at: Placed,
  edge: "head" | "tail",
  delta: number,
  doing: Gesture,
): Still[] {
  const p = pictureOf(s, at);
  if (!p) return [];
  const n = whole(s, rate, delta),
    close = doing === "trim_close",
    list: Still[] = [];
  const neighbour = p.track.clips[edge === "head" ? p.index - 1 : p.index + 1],
    next = neighbour && { track: p.track, clip: neighbour, index: 0 };
  const moved = doing === "roll"; // the neighbour gives or takes
  if (edge === "head") {
    if (next && beside(p, "head"))
      list.push(
        still(
          s,
          rate,
          "outgoing",
          next,
          neighbour.in + neighbour.length - 1 + (moved ? n : 0),
          p.clip.from + delta - 1,
        ),
      );
    list.push(still(s, rate, "incoming", p, p.clip.in + n, p.clip.from + (close ? 0 : delta)));
  } else {
    list.push(still(s, rate, "outgoing", p, p.clip.in + p.clip.length - 1 + n, p.clip.to + delta - 1));
    if (next && beside(p, "tail"))
      list.push(still(s, rate, "incoming", next, neighbour.in + (moved ? n : 0), p.clip.to + delta));
  }
  return list;
}

export function slipStills(s: Scene, rate: Rate, at: Placed, by: number): Still[] {
  const p = pictureOf(s, at);
  if (!p) return [];
  const n = whole(s, rate, by);
  return [
    still(s, rate, "first", p, p.clip.in + n, p.clip.from),
    still(s, rate, "last", p, p.clip.in + p.clip.length - 1 + n, p.clip.to - 1),
  ];
}

export function slideStills(s: Scene, rate: Rate, at: Placed, by: number): Still[] {
  const p = pictureOf(s, at);
  if (!p) return [];
  const n = whole(s, rate, by),
    before = beside(p, "head"),
    after = beside(p, "tail"),
    list: Still[] = [];
  if (before)
    list.push(still(s, rate, "before", before, before.clip.in + before.clip.length - 1 + n, p.clip.from + by - 1));
  list.push(
    still(s, rate, "first", p, p.clip.in, p.clip.from + by),
    still(s, rate, "last", p, p.clip.in + p.clip.length - 1, p.clip.to + by - 1),
  );
  if (after) list.push(still(s, rate, "after", after, after.clip.in + n, p.clip.to + by));
  return list;
}

/** The pictures on both sides of a seam as they are. */
export function seamStills(s: Scene, rate: Rate, at: number): Still[] {
  const t = s.tracks.find((x) => x.kind === "picture");
  if (!t) return [];
  const list: Still[] = [],
    f = frameOf(at, rate, s.sample_rate);
  for (const [words, frame] of [
    ["outgoing", f - 1],
    ["incoming", f],
  ] as const) {
    const sample = sampleOf(Math.max(0, frame), rate, s.sample_rate);
    const index = t.clips.findIndex((c) => c.from <= sample && sample < c.to);
    if (index >= 0)
      list.push(
        still(
          s,
          rate,
          words,
          { track: t, clip: t.clips[index], index },
          t.clips[index].in + frame - t.clips[index].start,
          sample,
        ),
      );
  }
  return list;
}
