// The bench: the seam in hand, enlarged. Three strips on one time axis centred on the cut, the gains over them, and
// what the sum does along the blend. What it shows was rendered by the server.

import { colours, FIGURES, fitted, repainter, sharpen, stitches, TEXT } from "../drawing/paint.ts";
import { get } from "../model/api.ts";
import type { Curve, Lull } from "../model/scene.ts";
import { frames, type Rate, sampleOf, toX, type View, zoomed } from "../model/time.ts";
import { leadWords } from "../timeline/drag.ts";

interface Strip {
  low: number[];
  high: number[];
}
export interface BenchView {
  from: number;
  to: number;
  outgoing: Strip | null;
  incoming: Strip | null;
  result: Strip;
  level: number[];
  gains: { at: number; out: number; in: number; sum_db: number; heard_db: number }[] | null;
  law?: string;
  before: number;
  after: number;
  reach_before: number;
  reach_after: number;
  lull?: Lull;
  curve_out?: Curve;
  curve_in?: Curve;
  words: [Stretch[] | null, Stretch[] | null];
  covers: string[];
}
interface Stretch {
  kind: string;
  span: { From: number; To: number };
  voiced: { From: number; To: number };
}
export interface Seam {
  id: string;
  track: string;
  track_name: string;
  kind: string;
  at: number;
  from: number;
  to: number;
  left: string;
  right: string;
  left_name: string;
  right_name: string;
  blend: boolean;
  tc: string;
  verdict: string;
  cause: string;
  why: string;
  measures: Record<string, number | null>;
  lull?: string; // its id, of the clip at the left
  pair?: boolean; // from a clip of one track over into one of another
  accepted?: string; // the note of an editor who lets it be as it is
  lead?: number; // samples by which sound is cut earlier than its picture
}

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

export interface Stand {
  sceneID: string;
  sampleRate: number;
  rate: Rate;
  thread(): string;
  playhead(): number;
  setBlend(before: number, after: number): void;
  setLull(from: number, to: number): void;
  rollTo(sample: number, alone: boolean): void; // alone: the picture's cut stays, so that sound leads or trails
  loaded(v: BenchView): void;
  failed(e: unknown): void;
}

const RIBBON = 34;

export class Bench {
  seam?: Seam;
  data?: BenchView;
  view: View = { from: 0, perPixel: 100 };
  lean?: { before: number; after: number }; // while the lean is being tried out
  private marked?: number; // a place that is being looked at
  private canvas: HTMLCanvasElement;
  private stand: Stand;
  private width = 764;
  private asked?: AbortController;
  private later = 0;
  private fetching = false;
  private drag?: Drag;
  private hover?: Part;
  private louder = 1; // all strips are drawn so that the loudest sample in view fills its strip
  readonly repaint: () => void;

  constructor(canvas: HTMLCanvasElement, stand: Stand) {
    [this.canvas, this.stand] = [canvas, stand];
    this.repaint = repainter(() => this.paint());
    new ResizeObserver(() => {
      this.width = canvas.clientWidth;
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
  private halves(): { before: number; after: number; cut: number } {
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

  private paint(): void {
    const { c, width, height } = sharpen(this.canvas),
      col = colours();
    this.width = width;
    c.clearRect(0, 0, width, height);
    const h = Math.floor((height - RIBBON - 8) / 3),
      tops = [2, h + 5, 2 * h + 8],
      ribbon = 3 * h + 12;
    c.fillStyle = col.surface;
    for (const y of tops) c.fillRect(0, y, width, h);
    c.fillRect(0, ribbon, width, height - ribbon);
    const s = this.seam,
      d = this.data;
    if (!s) {
      c.fillStyle = col.soft;
      c.font = `13px ${TEXT}`;
      c.textAlign = "center";
      c.fillText("Choose a seam in the list or in the timeline", width / 2, tops[1] + h / 2);
      c.textAlign = "left";
      return;
    }
    const { before, after, cut } = this.halves(),
      lulled = s.kind === "lull",
      edge = canBlend(s) || (lulled && d) ? [cut - before, cut + after] : [s.from, s.to];
    const [b0, b1] = [toX(this.view, edge[0]), toX(this.view, edge[1])],
      xc = toX(this.view, cut);
    if (b1 > b0) {
      c.fillStyle = col.tone + "26";
      c.fillRect(b0, tops[0], b1 - b0, tops[2] + h - tops[0]);
    }
    if (d && canBlend(s)) this.reach(c, d, cut, tops, h, col);
    if (d) {
      const thread = col[this.stand.thread()] ?? col.dialogue;
      this.louder = Math.min(
        300,
        0.92 / Math.max(0.003, ...[d.outgoing, d.incoming, d.result].map((s) => (s ? loudest(s) : 0))),
      );
      if (d.outgoing)
        this.strip(c, d, d.outgoing, tops[0], h, thread, (x) => (lulled || x < Math.max(b1, xc) ? 1 : 0.25));
      if (d.incoming)
        this.strip(c, d, d.incoming, tops[1], h, thread, (x) =>
          lulled ? (x >= b0 && x <= b1 ? 1 : 0.12) : x >= Math.min(b0, xc) ? 1 : 0.25,
        );
      this.strip(c, d, d.result, tops[2], h, col.ink, () => 1);
      for (const k of [0, 1]) this.words(c, d.words?.[k] ?? [], tops[k] + h - 4, h, col);
      this.levels(c, d, tops[2], h, col, b0, b1);
      this.gains(c, d, tops, h, b0, b1, xc, col);
      this.ribbon(c, d, ribbon, height - ribbon, col);
    }
    if (b1 - b0 > 1) {
      stitches(c, b0, tops[0], tops[2] + h, col.madder);
      stitches(c, b1, tops[0], tops[2] + h, col.madder);
    }
    c.strokeStyle = col.madder;
    c.lineWidth = 1;
    c.beginPath();
    c.moveTo(Math.round(xc) + 0.5, tops[0]);
    c.lineTo(Math.round(xc) + 0.5, tops[2] + h);
    c.stroke();
    if (this.marked !== undefined) {
      const x = Math.round(toX(this.view, this.marked)) + 0.5;
      c.strokeStyle = c.fillStyle = col.moss;
      c.setLineDash([4, 3]);
      c.beginPath();
      c.moveTo(x, tops[0]);
      c.lineTo(x, tops[2] + h);
      c.stroke();
      c.setLineDash([]);
      c.font = `600 11.5px ${TEXT}`;
      this.plate(c, "place", x + 5, tops[1] + h / 2, col);
    }
    this.pictureCut(c, s, cut, tops[0], tops[2] + h, col);
    this.labels(c, s, tops, width, col, before, after, b0, b1);
    const play = toX(this.view, this.stand.playhead());
    if (play >= 0 && play <= width) {
      c.strokeStyle = col.ink;
      c.lineWidth = 1;
      c.setLineDash([2, 3]);
      c.beginPath();
      c.moveTo(play, 0);
      c.lineTo(play, height);
      c.stroke();
      c.setLineDash([]);
    }
  }

  /** Shades how far a blend can go, and hatches what lies beyond. */
  private reach(
    c: CanvasRenderingContext2D,
    d: BenchView,
    cut: number,
    tops: number[],
    h: number,
    col: Record<string, string>,
  ): void {
    const far = (n: number) => (n > 1e12 ? Infinity : n);
    const x0 = toX(this.view, cut - far(d.reach_before)),
      x1 = toX(this.view, cut + far(d.reach_after)),
      bottom = tops[2] + h;
    c.strokeStyle = col.line;
    c.lineWidth = 1;
    for (const [a, z] of [
      [0, Math.min(this.width, x0)],
      [Math.max(0, x1), this.width],
    ]) {
      if (z - a < 1) continue;
      c.save();
      c.beginPath();
      c.rect(a, tops[0], z - a, bottom - tops[0]);
      c.clip();
      c.beginPath();
      for (let x = a - bottom; x < z; x += 9) {
        c.moveTo(x, bottom);
        c.lineTo(x + bottom - tops[0], tops[0]);
      }
      c.stroke();
      c.restore();
    }
  }

  /** Words as bars under a strip, their pitched part thicker; breaths as dotted lines. */
  private words(c: CanvasRenderingContext2D, list: Stretch[], y: number, h: number, col: Record<string, string>): void {
    c.strokeStyle = c.fillStyle = col.moss;
    for (const w of list) {
      const a = Math.max(0, toX(this.view, w.span.From)),
        z = Math.min(this.width, toX(this.view, w.span.To));
      if (z <= a) continue;
      c.lineWidth = 1.5;
      c.setLineDash(w.kind === "breath" ? [2, 3] : []);
      c.beginPath();
      c.moveTo(a, y);
      c.lineTo(z, y);
      c.stroke();
      c.setLineDash([]);
      if (w.kind === "breath") continue;
      for (const x of [toX(this.view, w.span.From), toX(this.view, w.span.To)])
        if (x >= 0 && x <= this.width)
          c.fillRect(Math.round(x) - 0.75, y - Math.min(14, h / 4), 1.5, Math.min(14, h / 4) + 2);
      const va = Math.max(0, toX(this.view, w.voiced.From)),
        vz = Math.min(this.width, toX(this.view, w.voiced.To));
      if (w.voiced.To > w.voiced.From && vz > va) c.fillRect(va, y - 2, vz - va, 4);
    }
  }

  /** Where the picture is cut, if sound leads or trails it. */
  private pictureCut(
    c: CanvasRenderingContext2D,
    s: Seam,
    cut: number,
    top: number,
    bottom: number,
    col: Record<string, string>,
  ): void {
    if (s.lead === undefined) return;
    const at = s.at + s.lead,
      n = Math.round(((at - cut) * this.stand.rate.num) / (this.stand.rate.den * this.stand.sampleRate));
    if (n === 0) return;
    const x = toX(this.view, at);
    c.strokeStyle = c.fillStyle = col.picture;
    c.lineWidth = 1.5;
    c.setLineDash([6, 3]);
    c.beginPath();
    c.moveTo(x, top);
    c.lineTo(x, bottom);
    c.stroke();
    c.setLineDash([]);
    c.font = `600 11.5px ${TEXT}`;
    c.textAlign = n > 0 ? "left" : "right";
    this.plate(c, `picture is cut here; ${leadWords(n)}`, n > 0 ? x + 6 : x - 6, bottom - 20, col);
    c.textAlign = "left";
  }

  private strip(
    c: CanvasRenderingContext2D,
    d: BenchView,
    s: Strip,
    top: number,
    h: number,
    colour: string,
    alpha: (x: number) => number,
  ): void {
    const n = s.low.length,
      mid = top + h / 2,
      half = h / 2 - 2;
    const x = (i: number) => toX(this.view, d.from + ((d.to - d.from) * i) / n);
    const y = (v: number) => mid - Math.max(-1, Math.min(1, v * this.louder)) * half;
    c.fillStyle = c.strokeStyle = colour;
    const single = n === d.to - d.from && x(1) - x(0) > 1.2;
    if (single) {
      c.lineWidth = 1.4;
      for (let i = 0; i < n; i++) {
        c.globalAlpha = alpha(x(i));
        if (i > 0) {
          c.beginPath();
          c.moveTo(x(i - 1), y(s.high[i - 1]));
          c.lineTo(x(i), y(s.high[i]));
          c.stroke();
        }
        if (x(1) - x(0) > 5) c.fillRect(x(i) - 2, y(s.high[i]) - 2, 4, 4);
      }
    } else {
      const w = Math.max(1, x(1) - x(0));
      for (let i = 0; i < n; i++) {
        // rectangles on whole pixels are drawn many times faster than paths
        const at = Math.round(x(i)),
          y0 = y(s.high[i]),
          y1 = y(s.low[i]);
        c.globalAlpha = alpha(x(i));
        c.fillRect(
          at,
          y1 - y0 < 1 ? (y0 + y1) / 2 - 0.5 : y0,
          Math.max(1, Math.round(x(i) + w) - at),
          Math.max(1, y1 - y0),
        );
      }
    }
    c.globalAlpha = 1;
  }

  /** The short-term level and both backgrounds, on a scale from -75 to 0 dBFS. */
  private levels(
    c: CanvasRenderingContext2D,
    d: BenchView,
    top: number,
    h: number,
    col: Record<string, string>,
    b0: number,
    b1: number,
  ): void {
    const y = (db: number) => top + 3 + ((h - 6) * -Math.max(-75, Math.min(0, db))) / 75;
    c.strokeStyle = col.effects;
    c.lineWidth = 1.3;
    c.beginPath();
    for (const [i, db] of d.level.entries())
      c.lineTo(toX(this.view, d.from + ((d.to - d.from) * (i + 0.5)) / d.level.length), y(db));
    c.stroke();
    const m = this.seam!.measures,
      l = m.background_left_db,
      r = m.background_right_db;
    c.strokeStyle = c.fillStyle = col.tone;
    c.font = `11px ${FIGURES}`;
    c.setLineDash([5, 4]);
    c.lineWidth = 1.5;
    const spans =
      this.seam!.kind === "lull"
        ? ([
            [l, 0, b0],
            [r, b0, b1],
            [l, b1, this.width],
          ] as const)
        : ([
            [l, 0, b0],
            [r, b1, this.width],
          ] as const);
    for (const [db, x0, x1] of spans) {
      if (db == null || db <= -119) continue;
      c.beginPath();
      c.moveTo(x0, y(db));
      c.lineTo(x1, y(db));
      c.stroke();
    }
    c.setLineDash([]);
    for (const [db, align, x] of [
      [l, "left", 8],
      [r, "right", this.width - 8],
    ] as const) {
      if (db == null) continue;
      c.textAlign = align;
      this.plate(
        c,
        (this.seam!.kind === "lull" ? (align === "left" ? "room " : "in the lull ") : db <= -80 ? "" : "background ") +
          (db <= -80 ? "silence" : db.toFixed(1)),
        x,
        top + h - 5,
        col,
      );
    }
    c.textAlign = "left";
  }

  /** Text on a piece of the strip's own ground, so that no wave runs through it. */
  private plate(c: CanvasRenderingContext2D, text: string, x: number, y: number, col: Record<string, string>): void {
    const w = c.measureText(text).width,
      left = c.textAlign === "right" ? x - w : c.textAlign === "center" ? x - w / 2 : x;
    const ink = c.fillStyle;
    c.globalAlpha = 0.85;
    c.fillStyle = col.surface;
    c.fillRect(left - 3, y - 11, w + 6, 14);
    c.globalAlpha = 1;
    c.fillStyle = ink;
    c.fillText(text, x, y);
  }

  private gains(
    c: CanvasRenderingContext2D,
    d: BenchView,
    tops: number[],
    h: number,
    b0: number,
    b1: number,
    xc: number,
    col: Record<string, string>,
  ): void {
    const s = this.seam!;
    c.strokeStyle = col.madder;
    c.lineWidth = 2;
    const old = [
      toX(this.view, canBlend(s) ? s.at - d.before : s.from),
      toX(this.view, canBlend(s) ? s.at + d.after : s.to),
    ];
    for (const [k, side] of [
      [0, "out"],
      [1, "in"],
    ] as const) {
      if (!(k === 0 ? d.outgoing : d.incoming)) continue;
      const y = (v: number) => tops[k] + h - 4 - (h - 8) * v;
      const [before, after] = s.kind === "lull" ? (k === 0 ? [1, 1] : [0, 0]) : k === 0 ? [1, 0] : [0, 1];
      c.beginPath();
      c.moveTo(0, y(before));
      if (b1 - b0 > 0.5 && d.gains?.length) {
        c.lineTo(b0, y(before));
        for (const g of d.gains) {
          const u = (toX(this.view, g.at) - old[0]) / Math.max(1e-9, old[1] - old[0]);
          c.lineTo(b0 + u * (b1 - b0), y(g[side]));
        }
        c.lineTo(b1, y(after));
      } else {
        c.lineTo(xc, y(before));
        c.lineTo(xc, y(after));
      }
      c.lineTo(this.width, y(after));
      c.globalAlpha = 0.9;
      c.stroke();
      c.globalAlpha = 1;
    }
  }

  private ribbon(c: CanvasRenderingContext2D, d: BenchView, top: number, h: number, col: Record<string, string>): void {
    const mid = top + h / 2,
      scale = (h / 2 - 3) / 6; // 6 dB to each side
    c.fillStyle = col.soft;
    c.font = `11.5px ${TEXT}`;
    c.fillText("Sum of both, dB", 8, mid + 4);
    const x0 = 104;
    c.strokeStyle = col.line;
    c.lineWidth = 1;
    c.beginPath();
    c.moveTo(x0, mid + 0.5);
    c.lineTo(this.width, mid + 0.5);
    c.stroke();
    c.font = `9px ${FIGURES}`;
    c.textAlign = "right";
    c.fillText("+6", this.width - 4, top + 9);
    c.fillText("-6", this.width - 4, top + h - 2);
    c.textAlign = "left";
    if (!(d.law || d.lull) || !d.gains?.length) return;
    const gains = d.gains,
      most = (of: (g: (typeof gains)[0]) => number) =>
        gains.reduce((a, g) => (Math.abs(of(g)) > Math.abs(a) ? of(g) : a), 0);
    const law = most((g) => g.sum_db),
      heard = most((g) => g.heard_db),
      signed = (v: number) => `${v >= 0 ? "+" : ""}${v.toFixed(1)}`;
    const tone = Math.abs(heard) >= 1.5 ? col.madder : col.moss;
    c.save();
    c.beginPath();
    c.rect(x0, top, this.width - x0, h);
    c.clip();
    for (const [of, colour, width, dash] of [
      [(g: (typeof gains)[0]) => g.sum_db, col.soft, 1.5, [4, 3]],
      [(g: (typeof gains)[0]) => g.heard_db, tone, 2, []],
    ] as const) {
      c.strokeStyle = colour;
      c.lineWidth = width;
      c.setLineDash([...dash]);
      c.beginPath();
      for (const g of gains) c.lineTo(toX(this.view, g.at), mid - scale * Math.max(-6, Math.min(6, of(g))));
      c.stroke();
    }
    c.setLineDash([]);
    c.restore();
    c.font = `11px ${FIGURES}`;
    c.fillStyle = tone;
    const at = toX(this.view, gains.at(-1)!.at) + 6,
      text = d.lull
        ? `${signed(heard)} at most, room and tone together`
        : `${signed(heard)} heard, ${signed(law)} by its law`;
    const x = Math.max(x0, Math.min(this.width - 30 - c.measureText(text).width, at));
    this.plate(c, text, x, mid + 4, col);
  }

  private labels(
    c: CanvasRenderingContext2D,
    s: Seam,
    tops: number[],
    width: number,
    col: Record<string, string>,
    before: number,
    after: number,
    b0: number,
    b1: number,
  ): void {
    c.font = `11.5px ${TEXT}`;
    c.fillStyle = col.soft;
    const f = (n: number) => frames(n, this.stand.rate, this.stand.sampleRate);
    this.plate(
      c,
      fitted(
        c,
        s.kind === "lull" ? `Clip · ${s.left_name}` : s.left ? `Outgoing · ${s.left_name}` : "Nothing before",
        width * 0.36,
      ),
      8,
      tops[0] + 14,
      col,
    );
    c.textAlign = "right";
    this.plate(
      c,
      fitted(
        c,
        s.kind === "lull"
          ? s.right
            ? `Patch · ${s.right_name}`
            : "No patch in this lull yet"
          : s.right
            ? `Incoming · ${s.right_name}`
            : "Nothing after",
        width * 0.42,
      ),
      width - 8,
      tops[1] + 14,
      col,
    );
    c.textAlign = "left";
    this.plate(c, "Result, the scene as it sounds", 8, tops[2] + 14, col);
    if (this.data) {
      c.textAlign = "right";
      c.font = `10px ${FIGURES}`;
      this.plate(c, `top of a strip ${(-20 * Math.log10(this.louder)).toFixed(0)} dBFS`, width - 8, tops[2] + 13, col);
      c.textAlign = "left";
    }
    if (!canBlend(s) || before + after <= 0) return;
    // Beside the stitches, in the strip where that side has no voice to cover.
    c.font = `11px ${FIGURES}`;
    c.fillStyle = col.madder;
    c.textAlign = "right";
    this.plate(c, `${f(before)} before`, Math.max(120, b0 - 8), tops[1] + 15, col);
    c.textAlign = "left";
    this.plate(c, `${f(after)} after`, Math.min(width - 110, b1 + 8), tops[0] + 15, col);
  }
}

/** A cut, or two clips of two tracks that go over into each other. */
export const canBlend = (s: Seam): boolean => s.kind === "cut" || !!s.pair;

const loudest = (s: Strip): number =>
  Math.max(
    s.high.reduce((a, v) => Math.max(a, v), 0),
    -s.low.reduce((a, v) => Math.min(a, v), 0),
  );

/** The two halves of a blend of a length, for a lean from -1 (all before the cut) to 1 (all after it). */
export function leaning(length: number, lean: number): { before: number; after: number } {
  const after = Math.round((length * (1 + lean)) / 2);
  return { before: length - after, after };
}

/** One frame, in samples, at the start of a scene. */
export const oneFrame = (rate: Rate, sampleRate: number): number => sampleOf(1, rate, sampleRate);
