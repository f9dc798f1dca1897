// Level lines: gain over the time of a recording, straight in dB between points. Levels of no more than TOP and no less
// than LOW are told apart where they are drawn.
import type { LevelPoint } from "../wire/scene.ts";

const TOP = 12, // dB
  LOW = -36;

/** What a line says at a sample of its recording, in dB; before its first point and after its last it stays. */
export function levelAt(line: readonly LevelPoint[] | undefined, at: number): number {
  if (!line?.length) return 0;
  let [low, high] = [0, line.length]; // the first point after it lies between
  while (low < high) {
    const middle = (low + high) >> 1;
    if (line[middle].at > at) high = middle;
    else low = middle + 1;
  }
  if (low === 0) return line[0].db;
  if (low === line.length) return line[low - 1].db;
  const [a, b] = [line[low - 1], line[low]];
  return a.db + ((b.db - a.db) * (at - a.at)) / (b.at - a.at);
}

/** How far down a level lies, from 0 at the top to 1. */
export const depthOf = (db: number): number => Math.min(1, Math.max(0, (TOP - db) / (TOP - LOW)));

/** The level at so far down, from 0 at the top to 1. */
export const levelOf = (depth: number): number => TOP - depth * (TOP - LOW);

/** A level as it is kept: to a tenth of a dB, within what a clip or a point can have. */
export const decimal = (db: number): number => Math.round(10 * Math.min(40, Math.max(-120, db))) / 10;

/** A line with one of its points elsewhere, kept between its neighbours by at least so many samples. */
export function movedPoint(line: readonly LevelPoint[], i: number, to: LevelPoint, least: number): LevelPoint[] {
  return movedTogether(line, [i, i], { at: to.at - line[i].at, db: to.db - line[i].db }, least);
}

/**
 * A line with some points that follow one another moved together: by so many samples, between the points beside them,
 * and by so many dB.
 */
export function movedTogether(
  line: readonly LevelPoint[],
  [first, last]: [number, number],
  by: LevelPoint,
  least: number,
): LevelPoint[] {
  const low = first > 0 ? line[first - 1].at + least - line[first].at : -Infinity,
    high = last + 1 < line.length ? line[last + 1].at - least - line[last].at : Infinity,
    at = Math.round(Math.min(Math.max(by.at, low), Math.max(low, high)));
  return line.map((p, k) => (k < first || k > last ? p : { at: p.at + at, db: decimal(p.db + by.db) }));
}

/** A line with a point more, where it runs; as it is where one lies that near. */
export function addedPoint(line: readonly LevelPoint[], at: number, least: number): LevelPoint[] {
  if (line.some((p) => Math.abs(p.at - at) < least)) return [...line];
  const db = Math.round(100 * levelAt(line, at)) / 100;
  return [...line, { at: Math.round(at), db }].sort((a, b) => a.at - b.at);
}

/** A line of which the stretch at a moment is raised as a whole: both of its points, or the one that it stays on. */
export function raisedStretch(line: readonly LevelPoint[], at: number, by: number): LevelPoint[] {
  const next = line.findIndex((p) => p.at > at),
    ends = next < 0 ? [line.length - 1] : [next - 1, next];
  return line.map((p, i) => (ends.includes(i) ? { at: p.at, db: decimal(p.db + by) } : p));
}

/** A line without the points that it runs past by less than so many dB (U. Ramer 1972; D. Douglas, T. Peucker 1973). */
export function thinned(line: readonly LevelPoint[], withinDB: number): LevelPoint[] {
  if (line.length < 3) return [...line];
  const [first, last] = [line[0], line[line.length - 1]];
  let worst = 0,
    at = 0;
  for (let i = 1; i < line.length - 1; i++) {
    const off = Math.abs(line[i].db - levelAt([first, last], line[i].at));
    if (off > worst) [worst, at] = [off, i];
  }
  if (worst <= withinDB) return [first, last];
  return [...thinned(line.slice(0, at + 1), withinDB), ...thinned(line.slice(at), withinDB).slice(1)];
}

/** A line with what was written over a stretch in the place of what it was there: outside it stays as it was. */
export function written(line: readonly LevelPoint[], points: LevelPoint[], slope: number): LevelPoint[] {
  const [from, to] = [points[0].at, points[points.length - 1].at],
    outside = (at: number) => ({ at, db: Math.round(100 * levelAt(line, at)) / 100 });
  return [
    ...line.filter((p) => p.at < from - slope),
    ...(levelAt(line, from - slope) === points[0].db && !line.length ? [] : [outside(from - slope)]),
    ...points,
    outside(to + slope),
    ...line.filter((p) => p.at > to + slope),
  ];
}
