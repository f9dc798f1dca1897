// What of a scene or a recording a canvas shows: zooming, and moving so that something is in view.
import { toX, type View, zoomed } from "../model/time.ts";

export abstract class Viewport {
  view: View = { from: 0, perPixel: 1000 };
  abstract readonly canvas: HTMLCanvasElement;
  protected abstract readonly limits: { closest: number; margin: number }; // samples a pixel; samples before zero
  abstract readonly repaint: () => void;

  /** The length of all that there is, in samples, and where playing is. */
  protected abstract extent(): { length: number; playhead: number };

  private get wide(): number {
    return Math.max(100, this.canvas.clientWidth);
  }

  /** Shows all, with a little room behind it. */
  whole(room = 1.03): void {
    this.view = { from: 0, perPixel: (this.extent().length * room) / this.wide };
    this.repaint();
  }

  /** Shows a stretch, with a share of its length around it. */
  showSpan(from: number, to: number, share = 0.08): void {
    const room = Math.max((to - from) * share, 100);
    this.view = {
      from: Math.max(-this.limits.margin, from - room),
      perPixel: Math.max(this.limits.closest, (to - from + 2 * room) / this.wide),
    };
    this.repaint();
  }

  zoom(factor: number, x?: number): void {
    const { length, playhead } = this.extent();
    const at = x ?? toX(this.view, playhead);
    const about = at < 0 || at > this.wide ? this.wide / 2 : at;
    this.view = zoomed(this.view, about, factor, this.limits.closest, Math.max(1000, (length * 4) / this.wide));
    this.view.from = Math.max(-20 * this.view.perPixel, this.view.from);
    this.repaint();
  }

  /** Moves the view so that a moment is in it. */
  reveal(sample: number, margin = 60): void {
    const x = toX(this.view, sample);
    if (x < margin || x > this.wide - margin)
      this.view.from = Math.max(0, sample - this.view.perPixel * (x < margin ? this.wide / 3 : margin * 2));
    this.repaint();
  }
}
