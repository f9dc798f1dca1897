// What keys that were pressed will have done, drawn until the server has done it or refused.
import { frameShown } from "../drawing/paint.ts";
import { expected } from "../model/expected.ts";
import { type Edge, findClip, type Scene } from "../model/scene.ts";
import type { Rate } from "../model/time.ts";
import type { Canvas } from "./canvas.ts";
import { outcome, outlineOf, type Pull } from "./drag.ts";
import type { Gesture } from "./gesture.ts";
import { heldBy, type Reaches } from "./reaches.ts";

export class Foreseen {
  private desk: { scene(): Scene; rate: Rate };
  private reaches: Reaches;
  private paint: () => void; // at once, while the screen's next frame is awaited
  private repaint: () => void;
  shown: Promise<void> = Promise.resolve(); // once what was foreseen last is on the screen
  private pulled?: Pull;
  private edits: unknown[] = []; // under way
  private kept?: { revision: number; edits: number; scene: Scene };

  constructor(desk: { scene(): Scene; rate: Rate }, reaches: Reaches, paint: () => void, repaint: () => void) {
    [this.desk, this.reaches, this.paint, this.repaint] = [desk, reaches, paint, repaint];
  }

  private show(): void {
    this.paint();
    this.shown = frameShown();
  }

  /** Draws what a key press will pull, as a drag would be drawn. What it gives is called when the edit is done or
   *  refused; presses that come before that add up. */
  pull(p: Pull): () => void {
    const same = (q?: Pull) => q && q.at.clip.id === p.at.clip.id && q.doing === p.doing && q.edge === p.edge;
    this.pulled = same(this.pulled) ? { ...p, raw: p.raw + this.pulled!.raw } : p;
    this.show();
    return () => {
      if (!same(this.pulled)) return;
      const raw = this.pulled!.raw - p.raw,
        at = findClip(this.desk.scene(), p.at.clip.id);
      this.pulled = raw && at ? { ...this.pulled!, raw, at } : undefined;
      this.repaint();
    };
  }

  /** Asks how far an edge may be pulled before anybody pulls it. */
  near(list: Edge[], trims: Gesture): void {
    if (list.length !== 1) return;
    this.reaches.of(heldBy(list[0], trims));
  }

  get pulling(): boolean {
    return !!this.pulled;
  }

  /** What a pull will leave, if it is known how far it may go. */
  outlined(): Canvas["drag"] {
    const p = this.pulled;
    if (!p || findClip(this.desk.scene(), p.at.clip.id)?.clip !== p.at.clip) return undefined;
    const reach = this.reaches.of({ clip: p.at.clip.id, edge: p.edge, doing: p.doing });
    if (!reach) return undefined;
    const pull = { ...p, reach };
    const out = outcome(this.desk.scene(), this.desk.rate, pull);
    return { pull, out, outline: outlineOf(this.desk.scene(), pull, out.delta) };
  }

  /** Draws what an edit under way will leave, if that is plain; what it gives is called when it is done or refused. */
  edit(e: unknown): () => void {
    this.edits.push(e);
    if (this.scene() !== this.desk.scene()) this.show();
    return () => {
      const i = this.edits.indexOf(e);
      if (i < 0) return;
      this.edits.splice(i, 1);
      this.kept = undefined;
      this.repaint();
    };
  }

  /** The scene as the edits under way will leave it. */
  scene(): Scene {
    const of = this.desk.scene(),
      { kept } = this;
    if (!this.edits.length) return of;
    if (kept?.revision === of.revision && kept.edits === this.edits.length) return kept.scene;
    const scene = this.edits.reduce<Scene>((now, e) => expected(now, this.desk.rate, e) ?? now, of);
    this.kept = { revision: of.revision, edits: this.edits.length, scene };
    return scene;
  }
}
