// Into which lengths clips are fitted. Pure functions.
import { clipAt, type Placed, type Scene } from "./scene.ts";
import { inSamples, lengthOf, type Rate } from "./time.ts";
import { numberOf } from "./typed.ts";

/** A length that was typed, and over how long the speed is to go over at both ends: "4.2 s", "4.2 s ease 1 s". */
export function typedFit(
  typed: string,
  now: number,
  rate: Rate,
  sr: number,
): { length: number; ease: number } | undefined {
  const [text, eases, ...more] = typed.split(/\bease\b/i),
    length = typedLength(text, now, rate, sr),
    ease = eases === undefined ? 0 : typedLength(eases, now, rate, sr);
  return length === undefined || ease === undefined || more.length ? undefined : { length, ease };
}

/** A length that was typed, in samples: frames, seconds, or per cent of what it takes now. */
function typedLength(text: string, now: number, rate: Rate, sr: number): number | undefined {
  const percent = /%/.test(text) ? numberOf(text.replace("%", "")) : undefined;
  if (percent !== undefined) return Math.round((now * percent) / 100);
  const length = lengthOf(text, rate, sr);
  const n = length && inSamples(length, rate, sr);
  return n !== undefined && n > 0 ? n : undefined;
}

/** How long a clip of sound would be up to the end of the picture that it begins under. */
export function toPicture(s: Scene, { clip: c }: Placed): number | undefined {
  for (const t of s.tracks) {
    const seen = t.kind === "picture" ? clipAt(t, c.from) : undefined;
    if (seen && seen.to > c.from) return seen.to - c.from;
  }
  return undefined;
}

/** How long a clip would be up to the next one on its track. */
export function toNext({ track, clip: c, index }: Placed): number | undefined {
  const next = track.clips[index + 1];
  return next && next.from > c.from ? next.from - c.from : undefined;
}

/** The clip of sound that a range is about: of those on its tracks the one of which most lies in it. */
export function underRange(s: Scene, r: { from: number; to: number; tracks: string[] }): Placed | undefined {
  let best: Placed | undefined,
    most = 0;
  for (const track of s.tracks)
    if (track.kind === "sound" && (r.tracks.length ? r.tracks.includes(track.id) : track.purpose === "dialogue"))
      track.clips.forEach((clip, index) => {
        const n = Math.min(clip.to, r.to) - Math.max(clip.from, r.from);
        if (n > most) [best, most] = [{ track, clip, index }, n];
      });
  return best;
}
