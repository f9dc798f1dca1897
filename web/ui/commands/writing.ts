// The level of a clip, written by hand while it plays: the keys that turn clips up and down move it at the moment that
// is heard.

import { decimal, levelAt, thinned, written } from "../model/level.ts";
import type { Clip } from "../model/scene.ts";
import { say } from "../panels/toast.ts";
import type { LevelPoint } from "../wire/scene.ts";
import { clipsInHand, clipUnder } from "./moves.ts";
import type { Stage } from "./stage.ts";

const SLOPE_MS = 80, // over which each step goes
  WITHIN_DB = 0.25; // what is thinned out is not heard

interface Hand {
  clip: Clip;
  line: LevelPoint[]; // as it was
  points: LevelPoint[];
}

export class Writing {
  private stage: Stage;
  private hand?: Hand;

  constructor(stage: Stage) {
    this.stage = stage;
  }

  /** Begins to write the level of the clip that plays, or ends it. */
  toggle(): void {
    if (this.hand) return this.end();
    const { player } = this.stage;
    const p = clipsInHand(this.stage).find((x) => x.track.kind === "sound") ?? clipUnder(this.stage);
    if (p?.track.kind !== "sound")
      return say("No clip of sound is in hand or under the playhead whose level could be written.");
    if (!player.playing || player.what !== "scene")
      return say("Nothing plays. Play the scene from before the clip, then write its level while you listen.");
    this.hand = { clip: p.clip, line: [...(p.clip.level ?? [])], points: [] };
    this.stage.note(`Writing the level of ${p.clip.name}: − and = move it, the same command or a stop ends it`);
  }

  /** Moves the level by so many dB at the moment that is heard; false if nothing is being written. */
  move(by: number): boolean {
    const { player, sr } = this.stage,
      hand = this.hand;
    if (!hand) return false;
    if (!player.playing) {
      this.end();
      return false;
    }
    const at = this.moment(hand),
      was = hand.points.at(-1)?.db ?? levelAt(hand.line, at),
      last = hand.points.at(-1)?.at ?? -Infinity,
      slope = Math.round((SLOPE_MS * sr) / 1000);
    if (at > last) hand.points.push({ at, db: was });
    hand.points.push({
      at: Math.max(at, last) + slope,
      db: decimal(was + by),
    });
    this.stage.note(`${hand.clip.name}: ${hand.points.at(-1)!.db.toFixed(1)} dB`);
    return true;
  }

  /** Ends it: what was written becomes points, as few as sound the same. */
  end(): void {
    const hand = this.hand;
    this.hand = undefined;
    if (!hand) return;
    if (!hand.points.length) return this.stage.note("Nothing was written");
    const { sr } = this.stage,
      slope = Math.round((SLOPE_MS * sr) / 1000),
      at = this.moment(hand),
      last = hand.points.at(-1)!;
    if (at > last.at) hand.points.push({ at, db: last.db });
    const points = written(hand.line, thinned(hand.points, WITHIN_DB), slope);
    void this.stage.edits.edit({ edit: "set_level", clip: hand.clip.id, points });
  }

  /** The sample of the clip's recording that is heard, within the clip. */
  private moment({ clip }: Hand): number {
    const at = Math.min(clip.to, Math.max(clip.from, Math.round(this.stage.player.position())));
    return at - clip.start + clip.in;
  }

  /** What these commands do, with a key for turning clips up and down, and one for playing, that stood before. */
  over(does: Record<string, () => void>): Record<string, () => void> {
    const { gain_down, gain_up, play } = does;
    return {
      write_level: () => this.toggle(),
      gain_down: () => void (this.move(-1) || gain_down()),
      gain_up: () => void (this.move(1) || gain_up()),
      play: () => {
        this.end();
        play();
      },
    };
  }
}
