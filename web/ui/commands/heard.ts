// Correcting what is heard in the clip in hand: over the range, or the part at the playhead.

import { partAt } from "../model/heard.ts";
import type { HeardOf } from "../panels/heard.ts";
import { say } from "../panels/toast.ts";
import { clipsInHand } from "./moves.ts";
import { says } from "./says.ts";
import type { Stage } from "./stage.ts";

export class Correcting {
  private stage: Stage;
  private heard: HeardOf;

  constructor(stage: Stage, heard: HeardOf) {
    [this.stage, this.heard] = [stage, heard];
  }

  commands(): Record<string, () => void> {
    return says((kind) => this.correct(kind));
  }

  private correct(kind: string): void {
    const { scene, selection, playhead, edits } = this.stage,
      under = (at: number) =>
        scene.tracks
          .filter((t) => t.kind === "sound" && t.purpose === "dialogue")
          .flatMap((track) => track.clips.map((clip) => ({ track, clip })))
          .find(({ clip }) => clip.from <= at && at < clip.to),
      ranged = selection.kind === "range" ? { from: selection.from, to: selection.to } : undefined,
      one = ranged ? under((ranged.from + ranged.to) / 2) : (clipsInHand(this.stage)[0] ?? under(playhead));
    if (!one) return say("No clip of dialogue lies there. Take one in hand, or draw a range over what is heard.");
    const { clip } = one,
      source = scene.sources[clip.source],
      shift = clip.in - clip.from;
    if (!source || source.tone || source.fit || source.joined)
      return say(`${clip.name} is made from other recordings; correct what is heard in those.`);
    const span = ranged
      ? { from: Math.max(ranged.from, clip.from) + shift, to: Math.min(ranged.to, clip.to) + shift }
      : partAt(this.heard.of(source)?.parts ?? [], playhead + shift);
    if (!span) return say("Put the playhead on what is heard in the clip, or draw a range over it.");
    const what = kind ? { kind } : {};
    void edits.edit({ edit: "correct", source: source.id, from: span.from, to: span.to, ...what });
  }
}
