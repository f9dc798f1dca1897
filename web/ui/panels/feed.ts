// Keeps the seam list as the server has it: after edits, and as seams are measured.

import type { Stage } from "../commands/stage.ts";
import { get } from "../model/api.ts";
import { merged } from "../model/seam.ts";
import type { SeamAnswer } from "../wire/workspace.ts";
import { say } from "./toast.ts";

export class SeamFeed {
  offsets: Record<string, number> = {}; // of clips out of sync, in samples
  ducks: SeamAnswer["ducks"] = {}; // how tracks make way for words
  private stage: Stage;
  private on: { counted(): void; measured(): void }; // seams are other ones; all are measured
  private asking = false;
  private again = false;
  private token = 0;
  private leads = "";
  private soon = 0;

  constructor(stage: Stage, on: { counted(): void; measured(): void }) {
    [this.stage, this.on] = [stage, on];
  }

  /** Loads what changed, after the last of several edits. */
  later(): void {
    clearTimeout(this.soon);
    this.soon = window.setTimeout(() => void this.load(), 120);
  }

  /** Loads what changed; asked for meanwhile, once more. */
  async load(): Promise<void> {
    this.again = true;
    if (this.asking) return;
    this.asking = true;
    try {
      while (this.again) {
        this.again = false;
        this.take(await get<SeamAnswer>(`/scenes/${this.stage.id}/seams?since=${this.token}`));
      }
    } catch (e) {
      this.token = 0; // the next answer shall be the whole list
      say(e);
    } finally {
      this.asking = false;
    }
  }

  private take(got: SeamAnswer): void {
    const { scene, sr, list, bench, timeline } = this.stage;
    const before = list.current;
    this.token = got.token;
    list.set(merged(list.all, got));
    const slipped = JSON.stringify([this.offsets, this.ducks]) !== JSON.stringify([got.offsets, got.ducks]);
    [this.offsets, this.ducks] = [got.offsets, got.ducks];
    if (got.revision < scene.revision) {
      this.again = true;
      return;
    }
    if (before) {
      const near = (s: { track: string; at: number }) =>
        s.track === before.track && Math.abs(s.at - before.at) < sr / 2;
      const now = list.current ?? list.all.find(near);
      list.chosen = now?.id ?? "";
      if (now !== before || got.moved.length || got.set.some((s) => s.id === now?.id)) {
        bench.show(now);
        this.stage.show();
      }
    }
    if (got.set.length || got.ordered) this.on.counted();
    if (slipped) this.stage.show();
    const leads = list.led.map((s) => `${s.id}${s.lead}`).join();
    if (got.moved.length || got.ordered || slipped || leads !== this.leads) timeline.repaint();
    this.leads = leads;
    if (!got.pending) this.on.measured();
  }
}
