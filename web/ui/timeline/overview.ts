// The whole scene in a strip above the ruler: its tracks as threads, what is off, and the window that the timeline
// shows.

import { colours, sharpen, sizeOf, threadOf } from "../drawing/paint.ts";
import { endOf, type Scene } from "../model/scene.ts";
import type { View } from "../model/time.ts";
import { windowOf } from "./rows.ts";

interface Shows {
  readonly view: View;
  readonly canvas: HTMLCanvasElement; // of the timeline
  readonly repaint: () => void;
  scene(): Scene;
}

const EDGE = 5; // pixels around an end of the window that take hold of it

export class Overview {
  private canvas: HTMLCanvasElement;
  private of: Shows;
  private desk: { playhead(): number; off(): { at: number; tone: string }[] };
  private hold?: { what: "window" | "from" | "to"; x: number; view: View };
  private kept?: { state: string; canvas: HTMLCanvasElement };

  constructor(canvas: HTMLCanvasElement, of: Shows, desk: Overview["desk"]) {
    [this.canvas, this.of, this.desk] = [canvas, of, desk];
    new ResizeObserver(of.repaint).observe(canvas);
    canvas.addEventListener("pointerdown", (e) => {
      if (e.button !== 0) return;
      canvas.setPointerCapture(e.pointerId);
      const w = this.window();
      let what = this.partAt(e.offsetX);
      if (!what) {
        // beside the window: it comes there, and is held
        this.of.view.from += (e.offsetX - (w.from + w.to) / 2) * this.perPixel();
        this.bound();
        what = "window";
      }
      this.hold = { what, x: e.offsetX, view: { ...this.of.view } };
      this.of.repaint();
    });
    canvas.addEventListener("pointermove", (e) => {
      if (this.hold) return this.drag(e.offsetX);
      const part = this.partAt(e.offsetX);
      canvas.style.cursor = part === "window" ? "grab" : part ? "ew-resize" : "pointer";
    });
    for (const end of ["pointerup", "pointercancel"]) canvas.addEventListener(end, () => (this.hold = undefined));
  }

  /** Samples a pixel of the strip. */
  private perPixel(): number {
    const s = this.of.scene();
    return (Math.max(endOf(s), 10 * s.sample_rate) * 1.03) / Math.max(100, sizeOf(this.canvas).width);
  }

  private window(): { from: number; to: number } {
    return windowOf(this.of.view, sizeOf(this.of.canvas).width, this.perPixel());
  }

  private partAt(x: number): "window" | "from" | "to" | undefined {
    const w = this.window();
    if (w.to - w.from > 4 * EDGE) {
      if (Math.abs(x - w.from) < EDGE) return "from";
      if (Math.abs(x - w.to) < EDGE) return "to";
    }
    return x >= w.from && x <= w.to ? "window" : undefined;
  }

  private drag(x: number): void {
    const { what, view, x: begun } = this.hold!,
      by = (x - begun) * this.perPixel(),
      shown = Math.max(100, sizeOf(this.of.canvas).width),
      now = this.of.view;
    if (what === "window") now.from = view.from + by;
    else {
      const least = shown * 2, // samples
        length = Math.max(least, shown * view.perPixel + (what === "to" ? by : -by));
      now.perPixel = length / shown;
      now.from = what === "to" ? view.from : view.from + shown * view.perPixel - length;
    }
    this.bound();
    this.of.repaint();
  }

  private bound(): void {
    const { view } = this.of;
    view.from = Math.max(-20 * view.perPixel, Math.min(view.from, endOf(this.of.scene())));
  }

  paint(): void {
    const { c, width, height } = sharpen(this.canvas, true),
      col = colours(),
      per = this.perPixel(),
      w = this.window();
    if (!width || !height) return; // not shown on a phone
    c.drawImage(this.threads(width, height, per), 0, 0, width, height);
    c.globalAlpha = 0.55;
    c.fillStyle = col.page;
    c.fillRect(0, 0, Math.max(0, w.from), height);
    c.fillRect(w.to, 0, width, height);
    c.globalAlpha = 1;
    c.strokeStyle = col.ink;
    c.lineWidth = 1;
    c.strokeRect(Math.max(0, w.from) + 0.5, 0.5, Math.min(width, w.to) - Math.max(0, w.from) - 1, height - 1);
    c.fillStyle = col.madder;
    c.fillRect(this.desk.playhead() / per - 0.75, 0, 1.5, height);
  }

  /** The tracks and the seams that are off, drawn anew when they are other ones. */
  private threads(width: number, height: number, per: number): HTMLCanvasElement {
    const s = this.of.scene(),
      off = this.desk.off(),
      col = colours(),
      ratio = devicePixelRatio || 1;
    const hues = s.tracks.map((t) => threadOf(t)).join();
    const state = [
      s.revision,
      width,
      height,
      per,
      ratio,
      col.page,
      hues,
      off.length,
      off[0]?.at,
      off.at(-1)?.at,
    ].join();
    const canvas = this.kept?.canvas ?? document.createElement("canvas");
    if (this.kept?.state === state) return canvas;
    [canvas.width, canvas.height] = [Math.max(1, Math.round(width * ratio)), Math.round(height * ratio)];
    const c = canvas.getContext("2d", { alpha: false })!;
    c.scale(ratio, ratio);
    c.fillStyle = col.page;
    c.fillRect(0, 0, width, height);
    const each = (height - 8) / Math.max(1, s.tracks.length);
    for (const [i, t] of s.tracks.entries()) {
      c.fillStyle = col[threadOf(t)] ?? col.dialogue;
      for (const x of t.clips)
        c.fillRect(x.from / per, 6 + i * each, Math.max(0.7, (x.to - x.from) / per - 0.5), Math.max(1, each - 1));
    }
    for (const o of off) {
      c.fillStyle = o.tone === "rough" ? col.madder : col.amber;
      c.fillRect(o.at / per - 1, 1, 2, 4);
    }
    this.kept = { state, canvas };
    return canvas;
  }
}
