// The bench: the seam in hand, enlarged. Three strips on one time axis centred on the cut, the gains over them, and
// what the sum does along the blend. What it shows was rendered by the server.

import { layers } from "../drawing/paint.ts";
import { get } from "../model/api.ts";
import type { BenchView, Seam } from "../model/seam.ts";
import { canBlend } from "../model/seam.ts";
import { toX, type View, zoomed } from "../model/time.ts";
import { paintPlayhead, paintUnder, RIBBON } from "./draw.ts";
import type { Drawn, Stand } from "./drawn.ts";

type Part = "before" | "after" | "lean" | "cut";
interface Drag {
  part: Part;
  alone: boolean;
  startX: number;
  x: number;
  lastX: number;
  delta: number;
  moved: boolean;
}

export class Bench implements Drawn {
  seam?: Seam;
  data?: BenchView;
  view: View = { from: 0, perPixel: 100 };
  lean?: { before: number; after: number }; // while the lean is being tried out
  marked?: number; // a place that is being looked at
  canvas: HTMLCanvasElement;
  stand: Stand;
  width = 764;
  private asked?: AbortController;
  private later = 0;
  private fetching = false;
  private drag?: Drag;
  private hover?: Part;
  louder = 1; // all strips are drawn so that the loudest sample in view fills its strip
  readonly repaint: () => void;
  readonly played: () => void; // nothing but the playhead has moved

  constructor(canvas: HTMLCanvasElement, stand: Stand) {
    [this.canvas, this.stand] = [canvas, stand];
    const drawn = layers(
      canvas,
      () => paintUnder(this),
      () => paintPlayhead(this),
    );
    [this.repaint, this.played] = [drawn.whole, drawn.over];
    new ResizeObserver(() => {
      this.width = canvas.clientWidth || this.width; // 0 where it is not shown
      this.load();
    }).observe(canvas);
    canvas.addEventListener(
      "wheel",
      (e) => {
        e.preventDefault();
        this.zoom(Math.exp(e.deltaY * 0.003));
      },
      { passive: false },
    );
    canvas.addEventListener("pointerdown", (e) => {
      const part = this.partAt(e.offsetX, e.offsetY);
      if (!part || e.button !== 0) return;
      canvas.setPointerCapture(e.pointerId);
      this.drag = { part, alone: e.altKey, startX: e.offsetX, x: e.offsetX, lastX: e.offsetX, delta: 0, moved: false };
    });
    canvas.addEventListener("pointermove", (e) => this.move(e));
    canvas.addEventListener("pointerup", () => this.up());
    canvas.addEventListener("pointercancel", () => (this.drag = undefined));
  }

  /** Shows a seam, so close that the change fills about a quarter. */
  show(seam: Seam | undefined): void {
    const other = seam?.id !== this.seam?.id;
    if (other) this.marked = undefined;
    this.seam = seam;
    this.lean = undefined;
    if (seam && other) {
      this.width = this.canvas.clientWidth || this.width;
      const seconds = Math.min(10, Math.max(2.4, (4 * (seam.to - seam.from)) / this.stand.sampleRate));
      this.centre((seconds * this.stand.sampleRate) / this.width);
      this.data = undefined;
    } else if (seam) this.centre(this.view.perPixel);
    this.load();
  }

  /** Shows the seam in hand where an edit has brought it; the sound of it comes when its measures do. */
  moved(at: number): void {
    const s = this.seam;
    if (!s || s.at === at) return;
    this.seam = { ...s, at, from: s.from + at - s.at, to: s.to + at - s.at };
    this.centre(this.view.perPixel);
    this.repaint();
  }

  /** Marks a place for the cut, or none. */
  mark(at: number | undefined): void {
    this.marked = at;
    this.repaint();
  }

  private centre(perPixel: number): void {
    this.view = { perPixel, from: this.seam!.at - (perPixel * this.width) / 2 };
  }

  zoom(factor: number): void {
    if (!this.seam) return;
    this.view = zoomed(this.view, this.width / 2, factor, 24 / this.width, (10 * this.stand.sampleRate) / this.width);
    this.centre(this.view.perPixel);
    this.load();
  }

  /** Seconds that are shown. */
  seconds(): number {
    return (this.view.perPixel * this.width) / this.stand.sampleRate;
  }

  /** Takes a blend as an edit has just made it, before the sound of it is here. */
  take(b: { before: number; after: number; law: string } | undefined): void {
    if (this.fetching) this.load(); // what is on its way is from before the edit
    if (!this.data) return;
    this.lean = undefined;
    this.data.before = b?.before ?? 0;
    this.data.after = b?.after ?? 0;
    this.data.law = b?.law;
  }

  /** Asks for what is in view; what is there stays until it comes. */
  load(): void {
    this.repaint();
    clearTimeout(this.later);
    this.asked?.abort();
    if (!this.seam) return;
    this.later = window.setTimeout(() => this.fetch(), this.data ? 40 : 0);
  }

  private async fetch(): Promise<void> {
    const s = this.seam!,
      asked = (this.asked = new AbortController());
    this.fetching = true;
    const from = Math.floor(this.view.from),
      to = Math.max(from + 2, Math.ceil(this.view.from + this.width * this.view.perPixel));
    const q = new URLSearchParams({
      seam: s.id,
      from: String(from),
      to: String(to),
      bins: String(Math.max(2, Math.round(this.width))),
    });
    try {
      const data = await get<BenchView | null>(`/scenes/${this.stand.sceneID}/bench?${q}`, asked.signal);
      if (!data || this.seam?.id !== s.id) return; // it has gone, or another is in hand
      this.data = data;
      this.stand.loaded(data);
      this.repaint();
    } catch (e) {
      if (!(e instanceof DOMException)) this.stand.failed(e);
    } finally {
      if (this.asked === asked) this.fetching = false;
    }
  }

  /** Both halves of the blend as drawn: as they are, or as they would be. */
  halves(): { before: number; after: number; cut: number } {
    const d = this.data,
      s = this.seam!;
    let { before, after } = this.lean ?? { before: d?.before ?? 0, after: d?.after ?? 0 };
    let cut = s.at;
    if (this.drag?.moved) {
      const by = this.drag.delta;
      if (this.drag.part === "before") before -= by;
      if (this.drag.part === "after") after += by;
      if (this.drag.part === "lean") [before, after] = [before - by, after + by];
      if (this.drag.part === "cut") cut += by;
    }
    return { before, after, cut };
  }

  private partAt(x: number, y: number): Part | undefined {
    if (!this.seam || !this.data || !(canBlend(this.seam) || this.seam.kind === "lull")) return undefined;
    const { before, after, cut } = this.halves();
    const near = (at: number) => Math.abs(toX(this.view, at) - x) < 7;
    if (this.seam.kind === "lull") return near(cut - before) ? "before" : near(cut + after) ? "after" : undefined;
    if (before + after > 0) {
      if (near(cut - before)) return "before";
      if (near(cut + after)) return "after";
      if (near(cut)) return "cut";
      if (x > toX(this.view, cut - before) && x < toX(this.view, cut + after) && y < this.canvas.clientHeight - RIBBON)
        return "lean";
      return undefined;
    }
    return near(cut) ? "cut" : undefined;
  }

  private move(e: PointerEvent): void {
    const d = this.drag;
    if (!d) {
      this.hover = this.partAt(e.offsetX, e.offsetY);
      this.canvas.style.cursor = this.hover ? (this.hover === "lean" ? "grab" : "ew-resize") : "default";
      return;
    }
    d.x += (e.offsetX - d.lastX) * (e.shiftKey ? 0.1 : 1);
    d.lastX = e.offsetX;
    if (Math.abs(e.offsetX - d.startX) > 2) d.moved = true;
    const by = Math.round((d.x - d.startX) * this.view.perPixel),
      data = this.data!;
    const clamp = (v: number, low: number, high: number) => Math.min(Math.max(v, low), Math.max(low, high));
    const { before, after, reach_before: rb, reach_after: ra } = data;
    if (d.part === "before")
      d.delta = clamp(by, before - rb, before + after > 0 ? Math.min(before, before + after - 1) : before);
    else if (d.part === "after") d.delta = clamp(by, -Math.min(after, before + after - 1), ra - after);
    else if (d.part === "lean") d.delta = clamp(by, Math.max(-after, before - rb), Math.min(before, ra - after));
    else d.delta = clamp(by, -rb, ra);
    this.repaint();
  }

  private up(): void {
    const d = this.drag;
    if (d?.moved && d.delta !== 0) {
      const { before, after, cut } = this.halves();
      this.lean = d.part === "cut" ? undefined : { before, after };
      if (this.seam!.kind === "lull") this.stand.setLull(cut - before, cut + after);
      else if (d.part === "cut") this.stand.rollTo(cut, d.alone);
      else this.stand.setBlend(before, after);
    }
    this.drag = undefined;
    this.repaint();
  }
}
