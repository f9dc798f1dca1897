// Seams, as the server measures them, and what the bench shows of one.
import type { Curve, Lull } from "./scene.ts";
import { type Rate, sampleOf } from "./time.ts";

export interface Strip {
  low: number[];
  high: number[];
}
export interface BenchView {
  from: number;
  to: number;
  outgoing: Strip | null;
  incoming: Strip | null;
  result: Strip;
  level: number[];
  gains: { at: number; out: number; in: number; sum_db: number; heard_db: number }[] | null;
  law?: string;
  before: number;
  after: number;
  reach_before: number;
  reach_after: number;
  lull?: Lull;
  curve_out?: Curve;
  curve_in?: Curve;
  words: [Stretch[] | null, Stretch[] | null];
  covers: string[];
}
export interface Stretch {
  kind: string;
  span: { From: number; To: number };
  voiced: { From: number; To: number };
}
export interface Seam {
  id: string;
  track: string;
  track_name: string;
  kind: string;
  at: number;
  from: number;
  to: number;
  left: string;
  right: string;
  left_name: string;
  right_name: string;
  blend: boolean;
  tc: string;
  verdict: string;
  cause: string;
  why: string;
  measures: Record<string, number | null>;
  lull?: string; // its id, of the clip at the left
  pair?: boolean; // from a clip of one track over into one of another
  accepted?: string; // the note of an editor who lets it be as it is
  lead?: number; // samples by which sound is cut earlier than its picture
}

/** A cut, or two clips of two tracks that go over into each other. */
export const canBlend = (s: Seam): boolean => s.kind === "cut" || !!s.pair;

/** The two halves of a blend of a length, for a lean from -1 (all before the cut) to 1 (all after it). */
export function leaning(length: number, lean: number): { before: number; after: number } {
  const after = Math.round((length * (1 + lean)) / 2);
  return { before: length - after, after };
}

/** One frame, in samples, at the start of a scene. */
export const oneFrame = (rate: Rate, sampleRate: number): number => sampleOf(1, rate, sampleRate);
