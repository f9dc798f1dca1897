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
