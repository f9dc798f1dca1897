// At which speed clips run: what is typed, what is said, and which frame of a recording is seen. Pure functions.
import type { Fit, Part } from "../wire/timing.ts";
import { inSamples, lengthOf, nearestFrame, type Rate, sampleOf } from "./time.ts";
import { numberOf } from "./typed.ts";

export interface Typed {
  times: number;
  ease: number; // samples
  reverse: boolean;
}

/** A speed that was typed: "2", "1/2", "50 %", "backwards", "2 times ease 1 s", "0,5 backwards". */
export function typedSpeed(typed: string, rate: Rate, sr: number): Typed | undefined {
  const [head, eased, ...more] = typed.split(/\bease\b/i),
    reverse = /\b(backwards?|reversed?)\b/i.test(head),
    text = head
      .replace(/\b(backwards?|reversed?)\b/gi, "")
      .replace(/\btimes\b|×|x\s*$/gi, "")
      .trim(),
    ratio = /^(\d+)\s*\/\s*(\d+)$/.exec(text),
    percent = /%/.test(text);
  if (more.length) return undefined;
  const times = ratio ? Number(ratio[1]) / Number(ratio[2]) : text === "" && reverse ? 1 : numberOf(text, "%");
  const length = eased === undefined ? { samples: 0 } : lengthOf(eased, rate, sr);
  if (times === undefined || !length || !(times > 0)) return undefined;
  return { times: percent ? times / 100 : times, ease: inSamples(length, rate, sr), reverse };
}

const tapes = (f: Fit): Part[] => (f.parts ?? []).filter((p) => p.kind === "tape");

/** At which speed a fitted recording runs, in words; nothing if words or music alone are fitted. */
export function speedWords(f: Fit): string {
  const list = tapes(f),
    speeds = [...new Set(list.map((p) => ((p.to - p.from) / p.length).toPrecision(3)))],
    said = speeds.length > 1 ? "several speeds" : speeds.map((s) => `${Number(s)} times its speed`).join("");
  return [said, list.some((p) => p.ease) ? "with ease" : "", f.reversed ? "backwards" : ""].filter(Boolean).join(", ");
}

/** Where in its recording a moment of a fitted one lies, in samples; core/sound/timestretch/timing has the rule. */
export function back(f: Fit, at: number): number {
  const parts = f.parts ?? [];
  if (f.reversed) at = parts.reduce((n, p) => n + p.length - (p.to - p.from), f.reversed) - at;
  let shift = 0;
  for (const p of parts) {
    const begin = p.from + shift;
    if (at < begin) break;
    if (at < begin + p.length) return p.from + backIn(p, at - begin);
    shift += p.length - (p.to - p.from);
  }
  return at - shift;
}

function backIn(p: Part, at: number): number {
  const n = p.to - p.from,
    e = p.ease ?? 0;
  if (e <= 0) return Math.round((at * n) / p.length);
  const extra = (p.length - n) / (n - e),
    edge = e + (extra * e) / 2,
    eased = (s: number) => (2 * s) / (1 + Math.sqrt(Math.max(0, 1 + (2 * extra * s) / e)));
  if (at < edge) return Math.round(eased(at));
  if (at > p.length - edge) return Math.round(n - eased(p.length - at));
  return Math.round((at + (extra * e) / 2) / (1 + extra));
}

/** Which frame of which recording is seen at a frame of a source. */
export const recorded = (
  f: Fit | undefined,
  source: string,
  frame: number,
  rate: Rate,
  sr: number,
): [string, number] => (f ? [f.of, recordedFrame(f, frame, rate, sr)] : [source, frame]);

/** The frame of a recording that is seen at a frame of the fitted one. */
export function recordedFrame(f: Fit, frame: number, rate: Rate, sr: number): number {
  const at = back(f, sampleOf(frame, rate, sr)),
    n = nearestFrame(at, rate, sr);
  return Math.max(0, f.reversed ? n - 1 : n); // backwards a frame ends where it began
}
