// What of a level line lies under a point, and what a hand does to it. Pure functions.
import { addedPoint, depthOf, levelAt, levelOf, movedPoint, raisedStretch } from "../model/level.ts";
import type { Clip, Track } from "../model/scene.ts";
import { toSample, toX, type View } from "../model/time.ts";
import type { LevelPoint } from "../wire/scene.ts";

const NEAR = 6; // pixels

/** Where a level lies in a row of a height. */
const yOf = (row: { top: number; height: number }, db: number): number => row.top + 2 + depthOf(db) * (row.height - 15);

/** The point of a clip's line, by its number, or the line itself. */
export function levelHit(
  row: { top: number; height: number; track: Track },
  v: View,
  clip: Clip,
  x: number,
  y: number,
): { grip: "point" | "line"; point?: number } | undefined {
  const line = clip.level;
  if (!line?.length) return undefined;
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
}

/** The pull of a hand that has hold of a level line; nothing if it has hold of something else. */
export function pullOf(
  d: { x: number; startX: number; down: number; only?: "time" | "level" },
  h: { grip: string; point?: number; clip: Clip; row: { height: number } },
  v: View,
  least: number,
): LevelPull | undefined {
  if (h.grip !== "point" && h.grip !== "line") return undefined;
  const at = toSample(v, d.startX) - h.clip.start + h.clip.in,
    { only } = d;
  return { point: h.point, at, by: (d.x - d.startX) * v.perPixel, down: d.down / (h.row.height - 15), only, least };
}

/** The line as the hand leaves it, and what that is in words. */
export function pulledLine(clip: Clip, p: LevelPull): { line: LevelPoint[]; words: string } {
  const line = clip.level ?? [],
    by = levelOf(p.down) - levelOf(0);
  if (p.point === undefined) {
    const step = Math.round(10 * by) / 10;
    return { line: raisedStretch(line, p.at, step), words: `stretch ${step < 0 ? "" : "+"}${step.toFixed(1)} dB` };
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
