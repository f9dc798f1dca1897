// What pages that propose edits share: rows are heard as they are and as they would be, the edit is done and taken
// back.
import type { Player } from "../bench/player.ts";
import { pageName, post } from "../model/api.ts";
import type { EditAnswer } from "../wire/web.ts";
import { say } from "./toast.ts";

/** The two buttons of a row: what they say, and whether they play. */
export function hearing(player: Player, heard: string, key: string) {
  const playing = (then: boolean) => player.playing && heard === key && (player.what !== "scene") === then,
    words = (then: boolean) => (playing(then) ? "Stop" : then ? "As it would be" : "As it is");
  return { is: words(false), would: words(true), isOn: String(playing(false)), wouldOn: String(playing(true)) };
}

/** Lets a row be heard from one moment to another, as it is or as it would be; gives the key of what is heard. */
export function hearRow(
  player: Player,
  heard: string,
  row: { key: string; from: number; to: number; would: string },
  then: boolean,
): string {
  const part = then ? row.would : "scene";
  if (player.playing && heard === row.key) {
    // the other of the two goes on at the same moment, the same one ends
    if (player.what === part) player.stop();
    if (!player.playing || player.hear(part)) return heard;
  }
  void player.play(row.from, row.to, part, ["scene", row.would]).catch(say);
  return row.key;
}

/** An edit that was proposed and done, until it is taken back. */
export class Proposed {
  private did?: number; // the revision that it left
  private scene: string;
  private changed: (undoes: boolean) => void;

  constructor(scene: string, changed: (undoes: boolean) => void) {
    [this.scene, this.changed] = [scene, changed];
  }

  /** Does an edit that was proposed at a revision, and says so. */
  async perform(revision: number, edit: unknown, words: string): Promise<void> {
    let done = false;
    try {
      const got = await post<EditAnswer>(`/scenes/${this.scene}/edits`, { page: pageName, revision, edit });
      this.did = got.revision;
      done = true;
      say(words);
    } catch (e) {
      say(e);
    }
    this.changed(done);
  }

  async undo(): Promise<void> {
    try {
      await post(`/scenes/${this.scene}/undo`, { page: pageName, revision: this.did });
    } catch (e) {
      say(e);
    }
    this.changed(false);
  }
}
