// What of a level line lies under a point, and what a hand does to it. Pure functions.
import {
  addedPoint,
  decimal,
  depthOf,
  levelAt,
  levelOf,
  movedPoint,
  movedTogether,
  raisedStretch,
} from "../model/level.ts";
import type { Clip, Track } from "../model/scene.ts";
import { toSample, toX, type View } from "../model/time.ts";
import type { LevelPoint } from "../wire/scene.ts";

const NEAR = 6; // pixels

/** Where a level lies in a row of a height. */
const yOf = (row: { top: number; height: number }, db: number): number => row.top + 2 + depthOf(db) * (row.height - 15);

/** The point of a clip's line, by its number, or the line itself; of a clip in hand without points, its gain. */
export function levelHit(
  row: { top: number; height: number; track: Track },
  v: View,
  clip: Clip,
  x: number,
  y: number,
  inHand = false,
): { grip: "point" | "line" | "gain"; point?: number } | undefined {
  const line = clip.level;
  if (!line?.length) {
    const beside = Math.min(x - toX(v, clip.from), toX(v, clip.to) - x);
    return inHand && beside > 8 && Math.abs(yOf(row, clip.gain_db ?? 0) - y) < 4 ? { grip: "gain" } : undefined;
  }
  const shift = clip.start - clip.in,
    shown = (p: LevelPoint) => p.at + shift >= clip.from && p.at + shift <= clip.to;
  const i = line.findIndex(
    (p) => shown(p) && Math.abs(toX(v, p.at + shift) - x) < NEAR && Math.abs(yOf(row, p.db) - y) < NEAR + 1,
  );
  if (i >= 0) return { grip: "point", point: i };
  const at = toSample(v, x);
  if (at < clip.from || at > clip.to) return undefined;
  return Math.abs(yOf(row, levelAt(line, at - shift)) - y) < 4 ? { grip: "line" } : undefined;
}

/** How a hand moved: samples, a share of the row's height, and which of the two counts alone. */
export interface LevelPull {
  point?: number;
  at: number; // sample of the recording where it took hold
  by: number;
  down: number;
  only?: "time" | "level";
  least: number; // samples that points stay apart
  group?: [number, number]; // the first and the last of the points that move along
}

/** The pull of a hand that has hold of a level line; nothing if it has hold of something else. */
export function pullOf(
  d: { x: number; startX: number; down: number; only?: "time" | "level" },
  h: { grip: string; point?: number; clip: Clip; row: { height: number } },
  v: View,
  least: number,
  range?: { from: number; to: number },
): LevelPull | undefined {
  if (h.grip !== "point" && h.grip !== "line" && h.grip !== "gain" && h.grip !== "bend") return undefined;
  const at = toSample(v, d.startX) - h.clip.start + h.clip.in,
    { only } = d;
  const by = (d.x - d.startX) * v.perPixel,
    down = d.down / (h.row.height - 15);
  return { point: h.point, at, by, down, only, least, group: range && together(h.clip, h.point, range) };
}

/** The points of a clip's line that lie in a range with one of them; nothing if that lies outside of it. */
function together(clip: Clip, point: number | undefined, range: { from: number; to: number }) {
  const shift = clip.start - clip.in,
    inside = (p: LevelPoint) => p.at + shift >= range.from && p.at + shift <= range.to,
    line = clip.level ?? [];
  if (point === undefined || !inside(line[point])) return undefined;
  return [line.findIndex(inside), line.findLastIndex(inside)] as [number, number];
}

/** The gain that the hand leaves a clip at. */
export const pulledGain = (clip: Clip, p: LevelPull): number =>
  decimal((clip.gain_db ?? 0) + levelOf(p.down) - levelOf(0));

/** The line as the hand leaves it, and what that is in words. */
export function pulledLine(clip: Clip, p: LevelPull): { line: LevelPoint[]; words: string } {
  const line = clip.level ?? [],
    by = levelOf(p.down) - levelOf(0);
  if (p.point === undefined) {
    const step = Math.round(10 * by) / 10;
    return { line: raisedStretch(line, p.at, step), words: `stretch ${step < 0 ? "" : "+"}${step.toFixed(1)} dB` };
  }
  if (p.group && p.group[1] > p.group[0]) {
    const step = p.only === "time" ? 0 : Math.round(10 * by) / 10,
      n = p.group[1] - p.group[0] + 1;
    const moved = movedTogether(line, p.group, { at: p.only === "level" ? 0 : p.by, db: step }, p.least);
    return { line: moved, words: `${n} points ${step < 0 ? "" : "+"}${step.toFixed(1)} dB` };
  }
  const was = line[p.point],
    to = { at: was.at + (p.only === "level" ? 0 : p.by), db: was.db + (p.only === "time" ? 0 : by) },
    moved = movedPoint(line, p.point, to, p.least),
    now = moved[p.point];
  return { line: moved, words: `${now.db < 0 ? "" : "+"}${now.db.toFixed(1)} dB` };
}

/** The edit of a double click: a point that is hit goes, on the line a new one comes. */
export function clickedLine(clip: Clip, hit: { point?: number }, at: number, least: number): Record<string, unknown> {
  const line = clip.level ?? [],
    points =
      hit.point === undefined
        ? addedPoint(line, at - clip.start + clip.in, least)
        : line.filter((_, i) => i !== hit.point);
  return { edit: "set_level", clip: clip.id, points };
}
