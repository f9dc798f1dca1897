// The pictures of the scene's page: that of the playhead, small or larger, and those beside the bench, which follow a
// hand.

import type { Stage } from "../commands/stage.ts";
import { sharpen } from "../drawing/paint.ts";
import type { Pictures } from "../drawing/pictures.ts";
import { startFrame } from "../model/clock.ts";
import { clipAt, seenAt } from "../model/scene.ts";
import { frameOf, sampleOf, timecode } from "../model/time.ts";
import { type Still, seamStills } from "../timeline/stills.ts";

const MOST = 4;

export interface Figure {
  words: string;
  tc: string;
}

export class PictureView {
  large = false;
  private stage: Stage;
  private pictures: Pictures;
  private dragged?: Still[];
  private shownFrame = -1;

  constructor(stage: Stage, pictures: Pictures) {
    [this.stage, this.pictures] = [stage, pictures];
  }

  /** Shows other pictures beside the bench while something is dragged. */
  drag(stills: Still[] | undefined): void {
    this.dragged = stills;
  }

  /** The pictures beside the bench: two, or four while a clip slides. */
  stills(): Still[] {
    if (this.dragged) return this.dragged.slice(0, MOST);
    const s = this.stage.list.current;
    return s ? seamStills(this.stage.scene, this.stage.rate, s.lead === undefined ? s.at : s.at + s.lead) : [];
  }

  figures(): Figure[] {
    const { scene, rate } = this.stage;
    return this.stills().map((x) => ({ words: x.words, tc: timecode(startFrame(scene) + x.at, rate) }));
  }

  /** Draws the picture at the playhead if its frame has changed, or in any case. */
  playhead(always = false): void {
    const { scene, rate, sr } = this.stage,
      f = frameOf(this.stage.playhead, rate, sr);
    if (f === this.shownFrame && !always) return;
    this.shownFrame = f;
    const track = scene.tracks.find((t) => t.kind === "picture"),
      clip = track && clipAt(track, sampleOf(f, rate, sr));
    for (const id of this.large ? ["picture", "large-picture"] : ["picture"]) {
      const canvas = document.getElementById(id) as HTMLCanvasElement;
      if (!this.draw(canvas, seenAt(scene, rate, f))) continue;
      canvas.dataset.frame = String(f);
    }
    const next = track && clip && track.clips[track.clips.indexOf(clip) + 1]; // its sheet is there when the cut comes
    if (next) this.pictures.fetch(next.source, next.in, this.frames(next.source));
  }

  bench(): void {
    this.stills().forEach((s, i) => {
      const canvas = document.querySelector<HTMLCanvasElement>(`[data-still="${i}"]`);
      if (canvas) this.draw(canvas, s);
    });
  }

  private frames(source: string): number {
    const { sources } = this.stage.scene;
    return sources[sources[source]?.fit?.of ?? source]?.frames ?? 0;
  }

  /** False while the picture is on its way; what was there stays. */
  private draw(canvas: HTMLCanvasElement, s: ReturnType<typeof seenAt>): boolean {
    for (const x of [s, s?.over]) if (x && !this.pictures.fetch(x.source, x.frame, this.frames(x.source))) return false;
    const { c, width, height } = sharpen(canvas);
    c.fillStyle = "#0d0b0a";
    c.fillRect(0, 0, width, height);
    if (s) this.pictures.draw(c, s.source, s.frame, 0, 0, width, height);
    if (s?.over) {
      c.globalAlpha = s.over.share;
      this.pictures.draw(c, s.over.source, s.over.frame, 0, 0, width, height);
      c.globalAlpha = 1;
    }
    return true;
  }
}
