// The marks of a ruler: at whole steps of timecode, whatever the frame rate, and within frames at whole milliseconds.
import { frameOf, type Rate, sampleOf, timecode, type View } from "./time.ts";

export interface Mark {
  at: number; // sample
  text: string; // "" for one between
}

/** Steps in frames from one second on are these many seconds of timecode. */
const seconds = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600, 7200];
const milliseconds = [0.1, 0.5, 1, 5, 10];
const roomOfSeconds = 78, // pixels of "00:00:00" and a gap
  roomOfFrames = 96;

/** The marks in a view; the scene's first frame has the number `start`. */
export function rulerMarks(v: View, width: number, start: number, rate: Rate, sampleRate: number): Mark[] {
  const end = v.from + width * v.perPixel;
  const frame = (rate.den / rate.num) * sampleRate; // samples
  const fine = milliseconds.find(
    (ms) => ms < (1000 * frame) / sampleRate / 2 && (ms * sampleRate) / 1000 / v.perPixel >= 78,
  );
  if (fine) return withinFrames(v, end, start, rate, sampleRate, fine);
  for (const n of [1, 5, Math.round(rate.nominal / 2)])
    if ((n * frame) / v.perPixel >= roomOfFrames) return byFrames(v, end, start, rate, sampleRate, n);
  const step = seconds.find((s) => (s * rate.nominal * frame) / v.perPixel >= roomOfSeconds) ?? 14400;
  return bySeconds(v, end, start, rate, sampleRate, step);
}

function withinFrames(v: View, end: number, start: number, rate: Rate, sr: number, ms: number): Mark[] {
  const marks: Mark[] = [],
    minor = ms / 5;
  for (let f = frameOf(Math.max(0, v.from), rate, sr); sampleOf(f, rate, sr) <= end; f++) {
    const [from, to] = [sampleOf(f, rate, sr), sampleOf(f + 1, rate, sr)];
    marks.push({ at: from, text: timecode(start + f, rate) });
    for (let k = 1; from + (k * minor * sr) / 1000 < to; k++) {
      const at = Math.round(from + (k * minor * sr) / 1000);
      const room = (to - at) / v.perPixel > 60 && (k * minor * sr) / 1000 / v.perPixel >= roomOfFrames;
      if (at >= v.from - 100 * v.perPixel && at <= end)
        marks.push({ at, text: k % 5 === 0 && room ? `+${(k * minor).toFixed(1)} ms` : "" });
    }
  }
  return marks;
}

/** Every n frames of timecode; the second begins anew. */
function byFrames(v: View, end: number, start: number, rate: Rate, sr: number, n: number): Mark[] {
  const marks: Mark[] = [];
  for (let f = Math.max(0, frameOf(Math.max(0, v.from), rate, sr) - n); sampleOf(f, rate, sr) <= end; f++) {
    const text = timecode(start + f, rate),
      ff = Number(text.slice(-2));
    // the last of a second has no room before the next, and drop-frame minutes begin with 2 or 4
    const named = ff % n === 0 && rate.nominal - ff >= n;
    if (named || n <= 5 || ff % 5 === 0) marks.push({ at: sampleOf(f, rate, sr), text: named ? text : "" });
  }
  return marks;
}

function bySeconds(v: View, end: number, start: number, rate: Rate, sr: number, step: number): Mark[] {
  const marks: Mark[] = [];
  const minor = Math.max(1, Math.round(step / 5));
  const first = start + frameOf(Math.max(0, v.from), rate, sr);
  for (let s = secondOf(first, rate) - (secondOf(first, rate) % step); ; s += minor) {
    const f = frameOfSecond(s, rate),
      at = sampleOf(f - start, rate, sr);
    if (at > end) return marks;
    if (f < start) continue;
    marks.push({ at, text: s % step === 0 ? timecode(f, rate).slice(0, 8) : "" });
  }
}

const secondOf = (frame: number, rate: Rate): number => {
  const [h, m, s] = timecode(frame, rate).split(/[:;]/).map(Number);
  return 3600 * h + 60 * m + s;
};

/** The first frame of a second of timecode. */
function frameOfSecond(s: number, rate: Rate): number {
  const dropped = rate.drop ? rate.nominal / 15 : 0;
  const minutes = Math.floor(s / 60);
  const begins = s % 60 === 0 && minutes % 10 !== 0 ? dropped : 0; // numbers that are left out
  return s * rate.nominal + begins - dropped * (minutes - Math.floor(minutes / 10));
}
