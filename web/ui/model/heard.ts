// What is heard in a recording: its parts, which cover it.

import type { HeardPart } from "../wire/web.ts";

/** What each kind is called where there is room for it. */
export const HEARD_WORDS: Record<string, string> = {
  word: "word",
  breath: "breath",
  pause: "pause",
  other: "other sound",
};

/** The part at a sample of the recording; parts cover it. */
export function partAt(parts: HeardPart[], at: number): HeardPart | undefined {
  let [low, high] = [0, parts.length - 1];
  while (low <= high) {
    const k = (low + high) >> 1;
    if (at < parts[k].from) high = k - 1;
    else if (at >= parts[k].to) low = k + 1;
    else return parts[k];
  }
  return undefined;
}

/** How long all parts of a kind are within a stretch, in samples. */
export function lengthOf(parts: HeardPart[], kind: string, from: number, to: number): number {
  return parts
    .filter((p) => p.kind === kind)
    .reduce((n, p) => n + Math.max(0, Math.min(p.to, to) - Math.max(p.from, from)), 0);
}
