// What an edit will have done, drawn before the server has done it: of those edits that leave every clip in its place.
// The rules are the server's; where it is not plain that it will do what is asked, nothing is expected. Pure functions.
import type { Curve } from "../wire/blend.ts";
import {
  type Blend,
  beside,
  blendAt,
  type Clip,
  findClip,
  handles,
  type Placed,
  type Scene,
  type Track,
} from "./scene.ts";
import type { Rate } from "./time.ts";

interface Asked {
  edit: string;
  edits?: Asked[];
  clips?: string[];
  clip?: string;
  db?: number;
  left?: string;
  right?: string;
  before?: number;
  after?: number;
  law?: string;
  curve_out?: Curve;
  curve_in?: Curve;
  pull?: boolean;
}

/** The scene as an edit will leave it; undefined where that is for the server to say. */
export function expected(s: Scene, rate: Rate, edit: unknown): Scene | undefined {
  const e = edit as Asked;
  switch (e?.edit) {
    case "several":
      return e.edits?.reduce<Scene | undefined>((now, x) => now && expected(now, rate, x), s);
    case "gain":
      return e.clips?.reduce<Scene | undefined>((now, id) => now && gained(now, id, e.db ?? 0), s);
    case "set_blend":
      return blended(s, rate, e);
    case "remove_blend": {
      const t = findClip(s, e.left ?? "")?.track;
      if (!t || t.locked || !blendAt(t, e.left!, e.right!)) return undefined;
      return replaced(s, { ...t, blends: t.blends?.filter((b) => b.left !== e.left) });
    }
  }
  return undefined;
}

// a track is another object after each edit of it
const replaced = (s: Scene, t: Track): Scene => ({ ...s, tracks: s.tracks.map((x) => (x.id === t.id ? t : x)) });

function gained(s: Scene, id: string, db: number): Scene | undefined {
  const p = findClip(s, id);
  if (p?.track.kind !== "sound" || p.track.locked || Math.abs(db) > 40) return undefined;
  return replaced(s, { ...p.track, clips: p.track.clips.map((c) => (c === p.clip ? { ...c, gain_db: db } : c)) });
}

function blended(s: Scene, rate: Rate, e: Asked): Scene | undefined {
  const left = findClip(s, e.left ?? ""),
    right = left && beside(left, "tail"),
    [before, after] = [e.before ?? 0, e.after ?? 0];
  if (!left || !right || right.clip.id !== e.right || left.track.kind !== "sound" || left.track.locked || e.pull)
    return undefined;
  if (before < 0 || after < 0 || before + after === 0 || !fits(s, rate, left, right, before, after)) return undefined;
  const { law, curve_out, curve_in } = e as Blend;
  const now = { left: left.clip.id, right: right.clip.id, before, after, law, curve_out, curve_in };
  const clips = left.track.clips.map(
    (c): Clip =>
      c === left.clip ? { ...c, fade_out: undefined } : c === right.clip ? { ...c, fade_in: undefined } : c,
  );
  const others = (left.track.blends ?? []).filter((b) => b.left !== now.left);
  return replaced(s, { ...left.track, clips, blends: [...others, now] });
}

/** Whether both sides carry a blend on their cut: with their handles, beside the blends at their other ends. */
function fits(s: Scene, rate: Rate, left: Placed, right: Placed, before: number, after: number): boolean {
  const { track } = left;
  const earlier = beside(left, "head"),
    later = beside(right, "tail");
  const taken = (earlier && blendAt(track, earlier.clip.id, left.clip.id)?.after) ?? 0,
    wanted = (later && blendAt(track, right.clip.id, later.clip.id)?.before) ?? 0;
  return (
    before <= Math.min(handles(s, rate, right).head, left.clip.to - left.clip.from - taken) &&
    after <= Math.min(handles(s, rate, left).tail, right.clip.to - right.clip.from - wanted)
  );
}
