// Where what a hand moves comes to lie: on a frame, or on what is near.
import { nearestFrame, sampleOf, type View } from "../model/time.ts";
import type { Desk } from "./desk.ts";
import { rangeOf, snap, snapPoints } from "./rows.ts";

const REACH = 8; // pixels

export class Snapping {
  on = true;
  private desk: Desk;
  private shown: () => { view: View; width: number };

  /** shown says what of the scene is to be seen, and how many pixels wide. */
  constructor(desk: Desk, shown: () => { view: View; width: number }) {
    [this.desk, this.shown] = [desk, shown];
  }

  private get frame(): number {
    return sampleOf(1, this.desk.rate, this.desk.scene().sample_rate);
  }

  /** A moment on a frame, unless the view is so close that frames are wide. */
  onFrame = (sample: number): number => {
    const { rate } = this.desk,
      sr = this.desk.scene().sample_rate;
    if (this.frame / this.shown().view.perPixel > 60) return sample;
    return sampleOf(nearestFrame(sample, rate, sr), rate, sr);
  };

  /** What a moment comes to lie on; but are clips that move, more are moments beside those of the scene. */
  at(sample: number, but = new Set<string>(), more: number[] = []): number {
    const { view, width } = this.shown(),
      points = snapPoints(this.desk.scene(), view, width, [this.desk.playhead(), ...more], but),
      near = snap(sample, points, this.on ? REACH * view.perPixel : 0);
    return near === sample ? this.onFrame(sample) : near;
  }

  /** A range that is drawn from one moment to another; none if it is shorter than a frame. */
  range(a: number, b: number): { from: number; to: number } | undefined {
    return rangeOf(a, b, this.frame, (x) => this.at(x), this.onFrame);
  }
}
