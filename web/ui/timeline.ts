// The timeline: ruler, tracks of cloth, playhead, and the grips by which clips are moved and trimmed. A drag only draws the
// outline; on release it sends the edit.
import { type Clip, type Scene, type Track, blendAt, clipAfter, edgeLimits, endOf } from "./model.ts";
import { FIGURES, TEXT, colours, fitted, repainter, sharpen, stitches } from "./paint.ts";
import type { Pictures } from "./pictures.ts";
import { type Hit, RULER, type Row, heightOf, hit, rowsOf, snap } from "./rows.ts";
import { type Rate, type View, frameOf, frames, nearestFrame, rulerStep, sampleOf, timecode, toSample, toX, zoomed } from "./time.ts";
import { drawWave } from "./waves.ts";

export interface Desk {
  scene(): Scene;
  rate: Rate;
  pictures: Pictures;
  playhead(): number;
  seek(sample: number): void;
  selectedClip(): string;
  selectedSeam(): { track: string; from: number; to: number; at: number } | undefined;
  selectClip(id: string, edge?: "head" | "tail"): void;
  selectCut(left: string, right: string): void;
  selectNothing(): void;
  edit(e: Record<string, unknown>): void;
}

// Waves are drawn so that -6 dBFS, as loud as speech should get, reaches the edge of the cloth.
const LOUDER = 2;

interface Drag {
  hit?: Hit; // undefined: the playhead
  startX: number;
  startY: number;
  x: number; // slowed
  lastX: number;
  y: number;
  moved: boolean;
  delta: number; // samples, as it would be done
  track?: Track; // where a moved clip would go
}

export class Timeline {
  view: View = { from: 0, perPixel: 1000 };
  snapping = true;
  private canvas: HTMLCanvasElement;
  private heads: HTMLElement;
  private tag: HTMLElement;
  private desk: Desk;
  private scroll = 0;
  private hover?: Hit;
  private drag?: Drag;
  private width = 0;
  private height = 0;
  readonly repaint: () => void;

  constructor(canvas: HTMLCanvasElement, heads: HTMLElement, tag: HTMLElement, desk: Desk) {
    [this.canvas, this.heads, this.tag, this.desk] = [canvas, heads, tag, desk];
    this.repaint = repainter(() => this.paint());
    new ResizeObserver(this.repaint).observe(canvas);
    canvas.addEventListener("pointerdown", (e) => this.down(e));
    canvas.addEventListener("pointermove", (e) => this.move(e));
    canvas.addEventListener("pointerup", (e) => this.up(e));
    canvas.addEventListener("pointercancel", () => this.cancel());
    canvas.addEventListener("pointerleave", () => {
      this.hover = undefined;
      if (!this.drag) this.repaint();
    });
    canvas.addEventListener("dblclick", (e) => this.desk.seek(this.onFrame(toSample(this.view, e.offsetX))));
    canvas.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    document.addEventListener("keydown", (e) => {
      if (e.key === "Escape" && this.drag) this.cancel();
    });
  }

  whole(): void {
    const length = Math.max(endOf(this.desk.scene()), this.desk.scene().sample_rate * 10);
    this.view = { from: 0, perPixel: (length * 1.03) / Math.max(100, this.canvas.clientWidth) };
    this.repaint();
  }

  zoom(factor: number, x = toX(this.view, this.desk.playhead())): void {
    if (x < 0 || x > this.width) x = this.width / 2;
    this.view = zoomed(this.view, x, factor, 0.05, Math.max(1000, (endOf(this.desk.scene()) * 4) / Math.max(1, this.width)));
    this.view.from = Math.max(-20 * this.view.perPixel, this.view.from);
    this.repaint();
  }

  /** Moves the view so that a moment is in it. */
  reveal(sample: number, margin = 60): void {
    const x = toX(this.view, sample);
    if (x < margin || x > this.width - margin) this.view.from = Math.max(0, sample - this.view.perPixel * (x < margin ? this.width / 3 : margin * 2));
    this.repaint();
  }

  private wheel(e: WheelEvent): void {
    e.preventDefault();
    if (e.ctrlKey || e.metaKey) this.zoom(Math.exp(e.deltaY * 0.004), e.offsetX);
    else if (e.altKey || (e.shiftKey && !e.deltaX) || Math.abs(e.deltaX) > Math.abs(e.deltaY) || heightOf(this.rows(), this.scroll) <= this.height) {
      this.view.from = Math.max(-20 * this.view.perPixel, this.view.from + (e.deltaX || e.deltaY) * this.view.perPixel);
      this.repaint();
    } else {
      this.scroll = Math.max(0, Math.min(heightOf(this.rows(), this.scroll) - this.height + 40, this.scroll + e.deltaY));
      this.repaint();
    }
  }

  private rows(): Row[] {
    return rowsOf(this.desk.scene(), this.scroll);
  }

  /** A moment on a frame, unless the view is so close that frames are wide. */
  private onFrame(sample: number): number {
    const { rate } = this.desk, sr = this.desk.scene().sample_rate;
    if (sampleOf(1, rate, sr) / this.view.perPixel > 60) return sample;
    return sampleOf(nearestFrame(sample, rate, sr), rate, sr);
  }

  private candidates(but?: string): number[] {
    const s = this.desk.scene(), list = [0, this.desk.playhead(), ...(s.markers ?? []).map((m) => m.at)];
    const last = this.view.from + this.width * this.view.perPixel;
    for (const t of s.tracks)
      for (let i = clipAfter(t, this.view.from); i < t.clips.length && t.clips[i].from < last; i++)
        if (t.clips[i].id !== but) list.push(t.clips[i].from, t.clips[i].to);
    return list;
  }

  private down(e: PointerEvent): void {
    if (e.button !== 0) return;
    this.canvas.setPointerCapture(e.pointerId);
    this.canvas.focus({ preventScroll: true });
    const h = e.offsetY < RULER ? undefined : hit(this.rows(), this.view, e.offsetX, e.offsetY);
    this.drag = { hit: h, startX: e.offsetX, startY: e.offsetY, x: e.offsetX, lastX: e.offsetX, y: e.offsetY, moved: false, delta: 0 };
    if (!h) this.desk.seek(Math.max(0, this.onFrame(toSample(this.view, e.offsetX))));
  }

  private move(e: PointerEvent): void {
    const d = this.drag;
    if (!d) {
      this.hover = e.offsetY < RULER ? undefined : hit(this.rows(), this.view, e.offsetX, e.offsetY);
      const grip = this.hover?.grip;
      this.canvas.style.cursor = !grip ? "default" : grip === "body" ? "grab" : "ew-resize";
      this.repaint();
      return;
    }
    d.x += (e.offsetX - d.lastX) * (e.shiftKey ? 0.1 : 1);
    d.lastX = e.offsetX;
    d.y = e.offsetY;
    if (Math.abs(e.offsetX - d.startX) > 3 || Math.abs(e.offsetY - d.startY) > 8) d.moved = true;
    if (!d.hit) this.desk.seek(Math.max(0, this.onFrame(toSample(this.view, d.x))));
    else if (d.moved) this.follow(d, d.hit);
    this.repaint();
  }

  /** Works out what a drag would do, within what is possible. */
  private follow(d: Drag, h: Hit): void {
    const s = this.desk.scene(), { rate } = this.desk, sr = s.sample_rate;
    const raw = (d.x - d.startX) * this.view.perPixel, reach = this.snapping ? 8 * this.view.perPixel : 0;
    const c = h.clip, cand = this.candidates(c.id);
    const drawn = (at: number) => {
      const snapped = snap(at, cand, reach);
      return snapped === at ? this.onFrame(at) : snapped;
    };
    const words: string[] = [];
    const f = (n: number) => frames(n, rate, sr);
    if (h.grip === "body") {
      const start = drawn(c.from + raw), end = drawn(c.to + raw);
      const byEnd = Math.abs(end - c.to - raw) < Math.abs(start - c.from - raw);
      d.delta = Math.max(byEnd ? end - c.to : start - c.from, -c.from);
      const row = this.rows().find((r) => d.y >= r.top && d.y < r.top + r.height);
      d.track = row && row.track.kind === h.row.track.kind ? row.track : h.row.track;
      words.push(d.delta === 0 ? "where it was" : `${f(d.delta)} ${d.delta < 0 ? "earlier" : "later"}`);
      if (d.track !== h.row.track) words.push(`to ${d.track.name}`);
      words.push(`begins ${this.tc(c.from + d.delta)}`);
    } else if (h.grip === "fade") {
      const room = c.to - c.from - ((h.edge === "head" ? c.fade_out?.length : c.fade_in?.length) ?? 0);
      const was = (h.edge === "head" ? c.fade_in?.length : c.fade_out?.length) ?? 0;
      const by = this.onFrame(was + (h.edge === "head" ? raw : -raw));
      d.delta = Math.max(0, Math.min(room, by)) - was;
      words.push(was + d.delta === 0 ? "no fade" : `fade over ${f(was + d.delta)}`);
    } else {
      const edge = h.edge!, at = edge === "head" ? c.from : c.to, close = h.grip === "trim_close";
      let { low, high } = edgeLimits(s, rate, h.row.track, h.index, edge, close || h.grip === "roll");
      if (h.grip === "roll") {
        const other = edge === "head" ? h.index - 1 : h.index + 1;
        const more = edgeLimits(s, rate, h.row.track, other, edge === "head" ? "tail" : "head", true);
        [low, high] = [Math.max(low, more.low), Math.min(high, more.high)];
      }
      d.delta = Math.max(low, Math.min(high, drawn(at + raw))) - at;
      const longer = (edge === "tail" ? d.delta : -d.delta);
      if (h.grip === "roll") words.push(`cut ${f(d.delta)} ${d.delta < 0 ? "earlier" : "later"}`);
      else {
        words.push(`${edge} ${f(longer)} ${longer < 0 ? "shorter" : "longer"}`, `clip ${this.length(c.to - c.from + longer)}`);
        if (close) words.push(longer === 0 ? "scene length kept" : `all after it ${f(longer)} ${longer < 0 ? "earlier" : "later"}`);
      }
      const left = edge === "head" ? at + d.delta - low : high - at - d.delta;
      if (Number.isFinite(left) && left < 1e12) words.push(`${f(left)} of ${close || h.grip === "roll" ? "handle" : "room"} left`);
    }
    this.tag.textContent = words.join("; ");
    this.tag.hidden = false;
    const x = Math.min(d.lastX + 92 + 14, this.canvas.clientWidth + 92 - this.tag.offsetWidth - 4);
    this.tag.style.left = `${Math.max(96, x)}px`;
    this.tag.style.top = `${Math.max(2, d.y - 34)}px`;
  }

  private tc(sample: number): string {
    const s = this.desk.scene();
    return timecode(s.start_frame + frameOf(sample, this.desk.rate, s.sample_rate), this.desk.rate);
  }

  private length(samples: number): string {
    const n = frameOf(samples, this.desk.rate, this.desk.scene().sample_rate), r = this.desk.rate.nominal;
    return `${Math.floor(n / r)}:${String(n % r).padStart(2, "0")}`;
  }

  private up(_e: PointerEvent): void {
    const d = this.drag;
    this.cancel();
    if (!d?.hit) {
      if (d && !d.moved && d.startY >= RULER) this.desk.selectNothing();
      return;
    }
    const { clip: c, grip, edge, row, index } = d.hit;
    if (!d.moved) {
      const other = edge === "head" ? row.track.clips[index - 1] : edge === "tail" ? row.track.clips[index + 1] : undefined;
      const touching = other && (edge === "head" ? other.to === c.from : other.from === c.to);
      if (touching && row.track.kind === "sound") this.desk.selectCut(edge === "head" ? other.id : c.id, edge === "head" ? c.id : other.id);
      else this.desk.selectClip(c.id, edge);
      return;
    }
    this.desk.selectClip(c.id, grip === "fade" ? undefined : edge);
    if (grip === "body") {
      if (d.delta !== 0 || d.track !== row.track) this.desk.edit({ edit: "move", clip: c.id, to: c.from + d.delta, ...(d.track !== row.track ? { track: d.track!.id } : {}) });
      return;
    }
    if (d.delta === 0) return;
    if (grip === "fade") {
      const was = (edge === "head" ? c.fade_in : c.fade_out) ?? { length: 0, curve: { shape: "quarter_sine" } };
      this.desk.edit({ edit: "fade", clip: c.id, edge, length: was.length + d.delta, curve: was.length ? was.curve : { shape: "quarter_sine" } });
    } else if (grip === "roll") {
      const left = edge === "head" ? row.track.clips[index - 1] : c, right = edge === "head" ? c : row.track.clips[index + 1];
      this.desk.edit({ edit: "roll", left: left.id, right: right.id, to: right.from + d.delta });
    } else {
      this.desk.edit({ edit: "trim", clip: c.id, edge, to: (edge === "head" ? c.from : c.to) + d.delta, close: grip === "trim_close" });
    }
  }

  private cancel(): void {
    this.drag = undefined;
    this.tag.hidden = true;
    this.repaint();
  }

  private paint(): void {
    const { c, width, height } = sharpen(this.canvas), col = colours();
    [this.width, this.height] = [width, height];
    const rows = this.rows();
    c.fillStyle = col.page;
    c.fillRect(0, 0, width, height);
    for (const row of rows) if (row.top < height && row.top + row.height > RULER) this.row(c, row, col);
    c.fillStyle = col.page;
    c.fillRect(0, 0, width, RULER);
    this.ruler(c, col);
    this.markers(c, col);
    this.seam(c, rows, col);
    const x = toX(this.view, this.desk.playhead());
    c.strokeStyle = c.fillStyle = col.madder;
    c.lineWidth = 1.5;
    c.beginPath();
    c.moveTo(x, 14);
    c.lineTo(x, height);
    c.stroke();
    c.beginPath();
    c.arc(x, 14, 5, 0, 7);
    c.fill();
    this.paintHeads(rows);
  }

  private ruler(c: CanvasRenderingContext2D, col: Record<string, string>): void {
    const s = this.desk.scene(), { rate } = this.desk, sr = s.sample_rate, one = rate.den / rate.num;
    const step = rulerStep(this.view, sr, one, 78), minor = step / 5;
    c.fillStyle = col.soft;
    c.font = `11px ${FIGURES}`;
    const first = Math.floor(this.view.from / sr / minor), last = (this.view.from + this.width * this.view.perPixel) / sr / minor;
    for (let k = Math.max(0, first); k <= last; k++) {
      const major = k % 5 === 0, raw = Math.round(k * minor * sr), at = minor < one / 5.01 ? raw : sampleOf(nearestFrame(raw, rate, sr), rate, sr), x = toX(this.view, at);
      c.globalAlpha = major ? 1 : 0.4;
      c.fillRect(Math.round(x), major ? 14 : 17, 1, major ? 7 : 4);
      if (major) {
        const full = this.tc(at), into = (1000 * (at - sampleOf(frameOf(at, rate, sr), rate, sr))) / sr;
        if (step < one && into > 0.01) {
          c.fillText(`+${into.toFixed(1)} ms`, x + 4, 13);
          continue;
        }
        c.fillText(step >= 1 ? full.slice(3, 8) : full.slice(6), x + 4, 13);
      }
    }
    c.globalAlpha = 1;
  }

  private markers(c: CanvasRenderingContext2D, col: Record<string, string>): void {
    c.font = `11px ${TEXT}`;
    for (const m of this.desk.scene().markers ?? []) {
      const x = toX(this.view, m.at);
      if (x < -200 || x > this.width) continue;
      c.fillStyle = col.tone;
      c.beginPath();
      c.moveTo(x - 4, RULER - 8);
      c.lineTo(x + 4, RULER - 8);
      c.lineTo(x, RULER);
      c.fill();
      c.globalAlpha = 0.25;
      c.fillRect(x, RULER, 1, this.height);
      c.globalAlpha = 1;
    }
  }

  private row(c: CanvasRenderingContext2D, row: Row, col: Record<string, string>): void {
    const t = row.track, last = this.view.from + this.width * this.view.perPixel;
    for (let i = Math.max(0, clipAfter(t, this.view.from) - 1); i < t.clips.length && t.clips[i].from < last + 10 * this.view.perPixel; i++) this.cloth(c, row, i, col);
    for (const b of t.blends ?? []) {
      const i = t.clips.findIndex((k) => k.id === b.right);
      if (i < 0) continue;
      const cut = t.clips[i].from, x0 = toX(this.view, cut - b.before), x1 = toX(this.view, cut + b.after);
      if (x1 < 0 || x0 > this.width) continue;
      c.fillStyle = col.tone + "30";
      c.fillRect(x0, row.top, x1 - x0, row.height);
      stitches(c, x0, row.top, row.top + row.height, col.madder);
      if (x1 - x0 > 5) stitches(c, x1, row.top, row.top + row.height, col.madder);
    }
  }

  private cloth(c: CanvasRenderingContext2D, row: Row, i: number, col: Record<string, string>): void {
    const t = row.track, clip = t.clips[i], thread = col[t.purpose] ?? col.dialogue;
    const d = this.drag?.moved && this.drag.hit?.clip.id === clip.id ? this.drag : undefined;
    let from = clip.from, to = clip.to, { top } = row, alpha = clip.muted || t.mute ? 0.35 : 1;
    if (d) {
      const { grip, edge } = d.hit!;
      if (grip === "body") {
        from += d.delta;
        to += d.delta;
        const target = this.rows().find((r) => r.track === d.track);
        if (target) top = target.top;
        alpha *= 0.8;
      } else if (grip !== "fade") edge === "head" ? (from += d.delta) : (to += d.delta);
    }
    const x0 = toX(this.view, from), x1 = toX(this.view, to), height = row.height;
    if (x1 < 0 || x0 > this.width) return;
    const a = Math.max(0, x0), z = Math.min(this.width, x1);
    c.globalAlpha = alpha;
    c.fillStyle = col.surface;
    c.fillRect(a, top, z - a, height);
    c.fillStyle = thread + (this.desk.selectedClip() === clip.id ? "55" : "2E");
    c.fillRect(a, top, z - a, height);
    if (x1 - x0 > 2) {
      if (t.kind === "picture") this.stills(c, clip, from, to, top, height);
      else this.wave(c, t, i, from - clip.from, a, z, top + 2, height - 15, thread);
      if (x1 - x0 > 26) {
        c.fillStyle = col.ink;
        c.font = `11px ${TEXT}`;
        c.fillText(fitted(c, clip.name, z - a - 10), a + 5, top + height - 4);
      }
      for (const edge of ["head", "tail"] as const) this.fadeLine(c, clip, edge, x0, x1, top, height, thread, d);
    }
    c.strokeStyle = this.desk.selectedClip() === clip.id ? col.ink : thread;
    c.lineWidth = this.desk.selectedClip() === clip.id ? 2 : 1;
    c.strokeRect(x0 + 0.5, top + 0.5, Math.max(1, x1 - x0 - 1), height - 1);
    c.globalAlpha = 1;
    if (this.hover?.clip.id === clip.id && !this.drag) this.grips(c, this.hover, x0, x1, row, col);
    if (d && d.hit!.grip !== "body" && d.hit!.grip !== "fade") this.selvedge(c, d.hit!, row, thread);
  }

  /** A line over a fade, from the corner it starts in. */
  private fadeLine(c: CanvasRenderingContext2D, clip: Clip, edge: "head" | "tail", x0: number, x1: number, top: number, height: number, thread: string, d?: Drag): void {
    let n = (edge === "head" ? clip.fade_in?.length : clip.fade_out?.length) ?? 0;
    if (d?.hit!.grip === "fade" && d.hit!.edge === edge) n += d.delta;
    if (n <= 0) return;
    const w = n / this.view.perPixel;
    c.strokeStyle = thread;
    c.lineWidth = 1.2;
    c.beginPath();
    for (let k = 0; k <= 16; k++) {
      const u = k / 16, y = top + height - 2 - (height - 4) * Math.sin((u * Math.PI) / 2);
      c.lineTo(edge === "head" ? x0 + u * w : x1 - u * w, y);
    }
    c.stroke();
  }

  /** The unused recording beyond an edge, hatched. */
  private selvedge(c: CanvasRenderingContext2D, h: Hit, row: Row, thread: string): void {
    const s = this.desk.scene();
    const { low, high } = edgeLimits(s, this.desk.rate, row.track, h.index, h.edge!, true);
    const x0 = Math.max(-10, toX(this.view, h.edge === "head" ? low : h.clip.to));
    const x1 = Math.min(this.width + 10, toX(this.view, h.edge === "head" ? h.clip.from : high));
    if (x1 - x0 < 1) return;
    c.save();
    c.beginPath();
    c.rect(x0, row.top, x1 - x0, row.height);
    c.clip();
    c.globalAlpha = 0.45;
    c.strokeStyle = thread;
    c.lineWidth = 1;
    c.beginPath();
    for (let x = x0 - row.height; x < x1; x += 6) {
      c.moveTo(x, row.top + row.height);
      c.lineTo(x + row.height, row.top);
    }
    c.stroke();
    c.restore();
  }

  private grips(c: CanvasRenderingContext2D, h: Hit, x0: number, x1: number, row: Row, col: Record<string, string>): void {
    if (h.grip === "body") {
      if (row.track.kind !== "sound" || x1 - x0 <= 50) return;
      c.fillStyle = col.ink;
      for (const [x, n] of [[x0, h.clip.fade_in?.length], [x1, -(h.clip.fade_out?.length ?? 0)]] as const) {
        const at = x + (x === x0 ? Math.max(13, (n ?? 0) / this.view.perPixel) : -Math.max(13, -(n ?? 0) / this.view.perPixel));
        c.beginPath();
        c.arc(at, row.top + 5, 3, 0, 7);
        c.fill();
      }
      return;
    }
    if (h.grip === "fade") {
      const n = ((h.edge === "head" ? h.clip.fade_in : h.clip.fade_out)?.length ?? 0) / this.view.perPixel;
      c.fillStyle = col.madder;
      c.beginPath();
      c.arc(h.edge === "head" ? x0 + Math.max(13, n) : x1 - Math.max(13, n), row.top + 5, 4, 0, 7);
      c.fill();
      return;
    }
    this.selvedge(c, h, row, col[row.track.purpose] ?? col.dialogue);
    const x = h.edge === "head" ? x0 : x1, side = h.edge === "head" ? 1 : -1;
    const other = h.edge === "head" ? row.track.clips[h.index - 1] : row.track.clips[h.index + 1];
    const touching = other && (h.edge === "head" ? other.to === h.clip.from : other.from === h.clip.to);
    const parts: [Hit["grip"], number][] = touching ? [["trim_close", 1 / 6], ["roll", 1 / 2], ["trim_gap", 5 / 6]] : [["trim_close", 1 / 4], ["trim_gap", 3 / 4]];
    for (const [grip, at] of parts) {
      const y = row.top + row.height * at, on = grip === h.grip;
      c.fillStyle = on ? col.madder : col.soft;
      c.globalAlpha = on ? 1 : 0.7;
      c.beginPath();
      if (grip === "roll") {
        c.moveTo(x - 7, y);
        c.lineTo(x, y - 4);
        c.lineTo(x + 7, y);
        c.lineTo(x, y + 4);
      } else {
        c.roundRect(side > 0 ? x : x - 5, y - 6, 5, 12, 2);
        if (grip === "trim_close") c.rect(side > 0 ? x + 7 : x - 9, y - 4, 2, 8); // pulls what follows with it
      }
      c.fill();
    }
    c.globalAlpha = 1;
  }

  private stills(c: CanvasRenderingContext2D, clip: Clip, from: number, to: number, top: number, height: number): void {
    const { rate, pictures } = this.desk, s = this.desk.scene(), src = s.sources[clip.source];
    if (!src?.frames) return;
    const h = height - 17, w = (h * 16) / 9, x0 = toX(this.view, from), x1 = toX(this.view, to);
    c.save();
    c.beginPath();
    c.rect(x0, top, x1 - x0, height);
    c.clip();
    for (let k = Math.max(0, Math.floor(-x0 / (w + 4)) - 1); ; k++) {
      const x = x0 + 5 + k * (w + 4);
      if (x > Math.min(x1, this.width)) break;
      const frame = clip.in + frameOf(Math.round((k * (w + 4)) * this.view.perPixel), rate, s.sample_rate);
      if (frame < src.frames) pictures.draw(c, clip.source, frame, x, top + 3, w, h);
    }
    c.restore();
  }

  private wave(c: CanvasRenderingContext2D, t: Track, i: number, shift: number, a: number, z: number, top: number, height: number, thread: string): void {
    const clip = t.clips[i], prev = t.clips[i - 1], next = t.clips[i + 1];
    const head = prev && blendAt(t, prev.id, clip.id), tail = next && blendAt(t, clip.id, next.id);
    const g = 10 ** ((clip.gain_db ?? 0) / 20);
    const gain = (sample: number) => {
      const s = sample - shift;
      let v = g;
      if (head && s < clip.from + head.after) v *= Math.sin((Math.PI / 2) * Math.max(0, (s - clip.from + head.before) / (head.before + head.after)));
      else if (clip.fade_in?.length && s < clip.from + clip.fade_in.length) v *= Math.sin((Math.PI / 2) * Math.max(0, (s - clip.from) / clip.fade_in.length));
      if (tail && s > clip.to - tail.before) v *= Math.cos((Math.PI / 2) * Math.min(1, (s - clip.to + tail.before) / (tail.before + tail.after)));
      else if (clip.fade_out?.length && s > clip.to - clip.fade_out.length) v *= Math.sin((Math.PI / 2) * Math.max(0, (clip.to - s) / clip.fade_out.length));
      return v * LOUDER;
    };
    if (head) a = Math.max(0, a - head.before / this.view.perPixel);
    if (tail) z = Math.min(this.width, z + tail.after / this.view.perPixel);
    drawWave(c, { source: clip.source, offset: clip.in - clip.start - shift, gain, colour: thread }, this.view.from, this.view.perPixel, a, z, top, height);
  }

  private seam(c: CanvasRenderingContext2D, rows: Row[], col: Record<string, string>): void {
    const m = this.desk.selectedSeam(), row = m && rows.find((r) => r.track.id === m.track);
    if (!m || !row) return;
    const x = toX(this.view, m.at);
    c.fillStyle = col.madder;
    c.beginPath();
    c.moveTo(x - 5, row.top - 5);
    c.lineTo(x + 5, row.top - 5);
    c.lineTo(x, row.top + 2);
    c.fill();
    c.fillRect(x - 0.75, row.top, 1.5, row.height);
  }

  private headKey = "";

  private paintHeads(rows: Row[]): void {
    const key = rows.map((r) => `${r.track.id}${r.track.name}${r.top}${r.track.mute}${r.track.solo}${r.track.purpose}`).join("|");
    if (key === this.headKey) return;
    this.headKey = key;
    const focused = document.activeElement?.getAttribute("data-head");
    this.heads.replaceChildren(...rows.map((r) => {
      const el = document.createElement("div");
      el.className = "head";
      el.style.cssText = `top:${r.top}px;height:${r.height}px;--thread:var(--${r.track.purpose})`;
      const name = document.createElement("b");
      name.textContent = r.track.name;
      name.title = r.track.name;
      el.append(name);
      const row = document.createElement("div");
      el.append(row);
      if (r.track.kind === "sound")
        for (const what of ["mute", "solo"] as const) {
          const b = document.createElement("button");
          b.type = "button";
          b.textContent = what;
          b.dataset.head = r.track.id + what;
          b.setAttribute("aria-label", `${what} ${r.track.name}`);
          b.setAttribute("aria-pressed", String(!!r.track[what]));
          b.onclick = () => this.desk.edit({ edit: "set_track", track: r.track.id, [what]: !r.track[what] });
          row.append(b);
        }
      return el;
    }));
    if (focused) (this.heads.querySelector(`[data-head="${focused}"]`) as HTMLElement | null)?.focus();
  }
}
