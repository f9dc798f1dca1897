// Seams, as the server measures them, and what the bench shows of one.
import type { Measures } from "../wire/audit.ts";
import type { SeamAnswer, SeamView } from "../wire/workspace.ts";
import { type Rate, sampleOf } from "./time.ts";

export type { Part as Stretch } from "../wire/speech.ts";
export type { BenchView, Strip } from "../wire/web.ts";
export type Seam = SeamView;

/** A figure of a seam by its name in the table of measures; none if it does not exist there. */
export const figureOf = (m: Measures, key: string): number | null | undefined => m[key as keyof Measures];

/** A cut, or two clips of two tracks that go over into each other. */
export const canBlend = (s: Seam): boolean => s.kind === "cut" || !!s.pair;

/** The two halves of a blend of a length, for a lean from -1 (all before the cut) to 1 (all after it). */
export function leaning(length: number, lean: number): { before: number; after: number } {
  const after = Math.round((length * (1 + lean)) / 2);
  return { before: length - after, after };
}

/** One frame, in samples, at the start of a scene. */
export const oneFrame = (rate: Rate, sampleRate: number): number => sampleOf(1, rate, sampleRate);

/** The list after an answer; seams that only moved are the same objects elsewhere. */
export function merged(all: Seam[], a: SeamAnswer): Seam[] {
  const byID = new Map(all.map((s) => [s.id, s]));
  for (const { by, ids } of a.moved)
    for (const id of ids) {
      const s = byID.get(id)!;
      [s.at, s.from, s.to] = [s.at + by, s.from + by, s.to + by];
    }
  for (const s of a.set) byID.set(s.id, s);
  return (a.ordered ? a.order : all.map((s) => s.id)).map((id) => byID.get(id)!);
}
