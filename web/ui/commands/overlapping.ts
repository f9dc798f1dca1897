// Two neighbours are laid over one another by a length that is typed.

import { findClip, type Placed } from "../model/scene.ts";
import { inSamples, lengthOf, noLength } from "../model/time.ts";
import { say } from "../panels/toast.ts";
import { type Overlapping, overlapEdit } from "../timeline/overlap.ts";
import { clipsInHand } from "./moves.ts";
import type { Stage } from "./stage.ts";

/** The neighbours that are meant: two clips in hand, or the clips beside the seam or the gap in hand. */
function neighbours(s: Stage): [Placed, Placed] | undefined {
  const { selection: sel, scene } = s;
  let pair: (Placed | undefined)[] = clipsInHand(s).sort((a, b) => a.clip.from - b.clip.from);
  if (sel.kind === "seam" && s.list.current)
    pair = [s.list.current.left, s.list.current.right].map((id) => findClip(scene, id));
  if (sel.kind === "range" && sel.tracks.length === 1) {
    const track = scene.tracks.find((t) => t.id === sel.tracks[0]),
      index = track?.clips.findIndex((c) => c.from >= sel.to) ?? -1;
    if (track && index > 0) pair = [index - 1, index].map((i) => ({ track, clip: track.clips[i], index: i }));
  }
  const [left, right] = pair;
  return left && right && pair.length === 2 && left.track === right.track && right.index === left.index + 1
    ? [left, right]
    : undefined;
}

export function overlapping(s: Stage, how: () => Overlapping): Record<string, () => void> {
  const overlapBy = async () => {
    const pair = neighbours(s);
    if (!pair)
      return say(
        "No two neighbours of one track are in hand. Take two clips in hand that lie side by side, or the cut or the " +
          "gap between them.",
      );
    const { close } = how();
    const got = await s.ask({
      title: `${pair[0].clip.name} and ${pair[1].clip.name} overlap`,
      label: "By how much",
      value: "12",
      hint:
        `12 (frames) or 300 ms. They are blended there with ${how().style.name}. ` +
        (close ? "All that follows moves along." : `${pair[1].clip.name} moves alone; all that follows stays.`),
      done: "Overlap and blend",
    });
    const n = got && lengthOf(got.value, s.rate, s.sr);
    if (got && !n) return say(noLength(got.value, "frames (12) or milliseconds (300 ms)"));
    if (!n) return;
    const length = inSamples(n, s.rate, s.sr);
    void s.edits.edit(overlapEdit(pair[0].clip.id, pair[1].clip.id, length, how()));
  };
  return { overlap_by: () => void overlapBy() };
}
