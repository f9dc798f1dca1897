// What is typed into fields: numbers, decibels and moments. Points and commas are one, and so are the signs of less.
// Moments are read as core/scene reads them.
import { parseTimecode, type Rate, sampleOf } from "./time.ts";

/** A number that was typed, with or without its unit. */
export function numberOf(text: string, unit = ""): number | undefined {
  const m = new RegExp(`^\\s*([+\\-−]?)\\s*(\\d+(?:[.,]\\d+)?|[.,]\\d+)\\s*(?:${unit})?\\s*$`, "i").exec(text);
  return m ? (m[1] && m[1] !== "+" ? -1 : 1) * Number(m[2].replace(",", ".")) : undefined;
}

/** A number of dB that was typed. */
export const decibels = (text: string): number | undefined => numberOf(text, "dB");

/** By how many dB to turn down: -12 is 12. */
export function downBy(text: string): number | undefined {
  const db = decibels(text);
  return db === undefined ? undefined : Math.abs(db);
}

/** A moment that was typed, in samples: a timecode of the scene, or a time from its start. */
export function momentOf(typed: string, startFrame: number, rate: Rate, sampleRate: number): number | undefined {
  const text = typed.trim().replace(/,/g, ".");
  if (/^(\d{1,2}|\d{1,6}\.\d{1,9}|\d{1,6}(\.\d{1,9})? ?s)$/.test(text))
    return Math.round(Number(text.replace(/ ?s$/, "")) * sampleRate);
  const m = /^(?:(\d{1,3}):)?(\d{1,3}):(\d\d\.\d{1,9})$/.exec(text);
  if (m) {
    const [hours, minutes, seconds] = [Number(m[1] ?? 0), Number(m[2]), Number(m[3])];
    if (seconds >= 60 || (m[1] && minutes > 59)) return undefined;
    return Math.round(((60 * hours + minutes) * 60 + seconds) * sampleRate);
  }
  if (text.startsWith("-") || (!/[:;]/.test(text) && !/^\d{3,8}$/.test(text))) return undefined;
  const frame = parseTimecode(text, rate);
  if (frame === undefined) return undefined;
  return sampleOf(frame >= startFrame ? frame - startFrame : frame, rate, sampleRate);
}

/** How many seconds are heard before and after what is auditioned. */
export interface Roll {
  pre: number;
  post: number;
}

/** One or two numbers of seconds that were typed, up to 20: "1.5", "0,5 3", "0.5 s / 3 s". */
export function rollOf(text: string): Roll | undefined {
  const parts = text
    .replace(/\s*s(ec(onds?)?)?\b/gi, " ")
    .trim()
    .split(/\s*[/;]\s*|\s+/);
  const [pre, post] = parts.map((p) => numberOf(p));
  const fits = (n: number | undefined): n is number => n !== undefined && n >= 0 && n <= 20;
  if (!fits(pre) || parts.length > 2) return undefined;
  return parts.length === 1 ? { pre, post: pre } : fits(post) ? { pre, post } : undefined;
}
