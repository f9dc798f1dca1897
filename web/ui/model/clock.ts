// The clock that all of a page shows times by: the scene's timecode or, switched, the time from its start.

import { frameOf, type Rate, timecode } from "./time.ts";
import { momentOf } from "./typed.ts";

const kept = "blendseam-clock";
let zero = globalThis.localStorage?.getItem(kept) === "zero";

interface Timed {
  start_frame: number;
  sample_rate: number;
}

/** The number of the scene's first frame, as the clock counts. */
export const startFrame = (s: { start_frame: number }): number => (zero ? 0 : s.start_frame);

/** A moment of the scene in words, hours included. */
export const clock = (s: Timed, rate: Rate, sample: number): string =>
  timecode(startFrame(s) + frameOf(sample, rate, s.sample_rate), rate);

/** A moment that was typed, by either clock: what the one in use cannot mean within the scene is meant by the other. */
export function typedMoment(text: string, s: Timed, rate: Rate, end: number): number | undefined {
  const at = momentOf(text, startFrame(s), rate, s.sample_rate);
  return zero && at !== undefined && at > end ? momentOf(text, s.start_frame, rate, s.sample_rate) : at;
}

/** Goes over to the other clock; true if times are from zero then. */
export function switchClock(): boolean {
  zero = !zero;
  globalThis.localStorage?.setItem(kept, zero ? "zero" : "timecode");
  return zero;
}
