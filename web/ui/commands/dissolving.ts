// The command that lets one picture dissolve into the next; the sound is left alone.
import { blendAt, type Clip, type Track } from "../model/scene.ts";
import { numberOf } from "../model/typed.ts";
import { say } from "../panels/toast.ts";
import { clipsInHand } from "./moves.ts";
import { type Stage, together } from "./stage.ts";

const NEAR = 2; // seconds from the playhead at which a cut is still meant

interface Cut {
  track: Track;
  left: Clip;
  right: Clip;
}

export function dissolving(stage: Stage): Record<string, () => void> {
  const cutsOf = (t: Track): Cut[] =>
    t.clips.flatMap((right, i) => {
      const left = t.clips[i - 1];
      return left && left.to === right.from ? [{ track: t, left, right }] : [];
    });

  /** The cuts of picture that are meant: between clips in hand, at the seam in hand, or nearest to the playhead. */
  const meant = (): Cut[] => {
    const pictures = stage.scene.tracks.filter((t) => t.kind === "picture"),
      cuts = pictures.flatMap(cutsOf),
      hand = new Set(clipsInHand(stage).map((p) => p.clip.id)),
      between = cuts.filter((c) => hand.has(c.left.id) && hand.has(c.right.id));
    if (between.length) return between;
    const seam = stage.selection.kind === "seam" ? stage.list.current : undefined,
      at = seam ? seam.at + (seam.lead ?? 0) : stage.playhead,
      far = (c: Cut) => Math.abs(c.right.from - at),
      nearest = cuts.sort((a, b) => far(a) - far(b))[0];
    return nearest && far(nearest) <= NEAR * stage.sr ? [nearest] : [];
  };

  const ask = async () => {
    const cuts = meant();
    if (!cuts.length)
      return say(
        "No cut of picture is in hand. Take two touching clips of picture, or put the playhead within 2 s of a cut.",
      );
    const [first] = cuts,
      b = blendAt(first.track, first.left.id, first.right.id),
      many = cuts.length > 1;
    const got = await stage.ask({
      title: many ? `Dissolve ${cuts.length} cuts of picture` : `Dissolve ${first.left.name} into ${first.right.name}`,
      label: "Frames; none for a plain cut",
      value: String(b ? b.before + b.after : 12),
      choices: {
        label: "It lies",
        list: [
          { value: "middle", words: "over the cut, half on either side" },
          { value: "before", words: "before the cut, and ends on it" },
          { value: "after", words: "after the cut, and begins on it" },
        ],
        value: "middle",
      },
      hint: "The picture alone: its sound stays as it is, blended or not.",
      done: "Dissolve",
    });
    if (!got) return;
    const n = /^\s*none\s*$/i.test(got.value) ? 0 : numberOf(got.value, "f(rames?)?");
    if (n === undefined || n < 0 || !Number.isInteger(n))
      return say(`"${got.value}" is not a whole number of frames, such as 12, or none.`);
    const before = got.choice === "before" ? n : got.choice === "after" ? 0 : Math.floor(n / 2);
    void stage.edits.edit(
      together(
        cuts.map((c) => ({ edit: "dissolve", left: c.left.id, right: c.right.id, before, after: n - before })),
        n ? `${cuts.length} cuts of picture dissolve over ${n} frames` : `${cuts.length} cuts of picture are plain`,
      ),
    );
  };

  return { dissolve: () => void ask() };
}
