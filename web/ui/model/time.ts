// Time: frames, samples and pixels. Pure functions; the exact rules are those of core/sound/timecode.
import type { RateView } from "../wire/web.ts";

export type Rate = RateView;

/** The sample at which a frame starts, halves up. */
export function sampleOf(frame: number, r: Rate, sampleRate: number): number {
  return Math.floor((2 * frame * r.den * sampleRate + r.num) / (2 * r.num));
}

/** The frame that a sample lies in. */
export function frameOf(sample: number, r: Rate, sampleRate: number): number {
  let f = Math.floor((sample * r.num) / (r.den * sampleRate));
  while (sampleOf(f + 1, r, sampleRate) <= sample) f++;
  while (sampleOf(f, r, sampleRate) > sample) f--;
  return f;
}

/** The frame whose start is nearest to a sample. */
export function nearestFrame(sample: number, r: Rate, sampleRate: number): number {
  const f = frameOf(sample, r, sampleRate);
  return sampleOf(f + 1, r, sampleRate) - sample <= sample - sampleOf(f, r, sampleRate) ? f + 1 : f;
}

/** A frame number as timecode; drop-frame numbers per SMPTE ST 12-1. */
export function timecode(frame: number, r: Rate): string {
  const sign = frame < 0 ? "-" : "";
  let n = Math.abs(frame);
  if (r.drop) {
    const dropped = r.nominal / 15;
    const perTen = r.nominal * 600 - 9 * dropped;
    const perMinute = r.nominal * 60 - dropped;
    const tens = Math.floor(n / perTen),
      rest = n % perTen;
    n += 9 * dropped * tens + (rest > dropped ? dropped * Math.floor((rest - dropped) / perMinute) : 0);
  }
  const two = (v: number) => String(v).padStart(2, "0");
  const f = n % r.nominal,
    s = Math.floor(n / r.nominal);
  const pairs = [Math.floor(s / 3600), Math.floor(s / 60) % 60, s % 60];
  return `${sign}${pairs.map(two).join(":")}${r.drop ? ";" : ":"}${two(f)}`;
}

/**
 * The frame number of a timecode, undefined if it is none. What is left out in front is 0; digits without signs are
 * pairs from the end.
 */
export function parseTimecode(text: string, r: Rate): number | undefined {
  const typed = /^\s*(-?)([\d:;.]+)\s*$/.exec(text);
  if (!typed) return undefined;
  const pairs = /[:;.]/.test(typed[2])
    ? typed[2].split(/[:;.]/)
    : typed[2]
        .padStart(8, "0")
        .match(/^(\d+)(\d\d)(\d\d)(\d\d)$/)!
        .slice(1);
  if (pairs.length > 4 || pairs.some((p) => p === "")) return undefined;
  const [h, min, s, f] = [...Array(4 - pairs.length).fill(0), ...pairs.map(Number)];
  if (f >= r.nominal || s > 59 || min > 59) return undefined;
  const dropped = r.drop ? r.nominal / 15 : 0,
    minutes = 60 * h + min;
  if (dropped && s === 0 && f < dropped && min % 10 !== 0) return undefined; // a number that is left out
  const n = (minutes * 60 + s) * r.nominal + f - dropped * (minutes - Math.floor(minutes / 10));
  return typed[1] ? -n : n;
}

/** A stretch of time on a row of pixels: `from` is the sample at x = 0. */
export interface View {
  from: number;
  perPixel: number;
}

export const toX = (v: View, sample: number): number => (sample - v.from) / v.perPixel;
export const toSample = (v: View, x: number): number => Math.round(v.from + x * v.perPixel);

/** A view zoomed so that the sample under x stays there. */
export function zoomed(v: View, x: number, factor: number, least: number, most: number): View {
  const perPixel = Math.min(most, Math.max(least, v.perPixel * factor));
  return { from: v.from + x * (v.perPixel - perPixel), perPixel };
}

/** A length that was typed, in samples; frames unless it says otherwise, or a timecode. */
export function lengthOf(text: string, r: Rate, sampleRate: number): { frames?: number; samples?: number } | undefined {
  const at = /[:;]/.test(text) ? parseTimecode(text, r) : undefined;
  if (at !== undefined) return { frames: at };
  const m = /^\s*([+\-−]?)\s*([\d.]+)\s*(ms|samples?|smp|s|f|frames?)?\s*$/.exec(text.replace(",", "."));
  if (!m || Number.isNaN(Number(m[2]))) return undefined;
  const n = (m[1] === "-" || m[1] === "−" ? -1 : 1) * Number(m[2]);
  if (m[3] === "ms") return { samples: Math.round((n * sampleRate) / 1000) };
  if (m[3]?.startsWith("sa") || m[3] === "smp") return { samples: Math.round(n) };
  if (m[3] === "s") return { samples: Math.round(n * sampleRate) };
  return Number.isInteger(n) ? { frames: n } : { samples: Math.round((n * r.den * sampleRate) / r.num) };
}

/** Says that what was typed is no length, and such as what it should be. */
export const noLength = (text: string, such: string): string => `"${text}" is not a length. Write ${such}.`;

/** A length that was typed, in samples. */
export const inSamples = (n: { frames?: number; samples?: number }, r: Rate, sampleRate: number): number =>
  n.samples ?? Math.round((n.frames! * r.den * sampleRate) / r.num);

/** A length in words: whole frames, or with a decimal. */
export function frames(samples: number, r: Rate, sampleRate: number): string {
  const f = (Math.abs(samples) * r.num) / (r.den * sampleRate);
  const near = Math.round(f);
  const text = Math.abs(f - near) < 0.02 ? String(near) : f.toFixed(1);
  return `${text} ${text === "1" ? "frame" : "frames"}`;
}
