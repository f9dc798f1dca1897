// The timeline: ruler, tracks, playhead, and what a hand does there. A drag only draws the outline, within what is
// possible; on release it sends the edit.

import { type Colours, colours, FIGURES, fitted, repainter, sharpen, TEXT } from "../drawing/paint.ts";
import type { Pictures } from "../drawing/pictures.ts";
import { beside, clipAfter, type Edge, edgeAt, endOf, findClip, gaps, linked, type Scene } from "../model/scene.ts";
import type { Selection } from "../model/selection.ts";
import {
  frameOf,
  nearestFrame,
  type Rate,
  rulerStep,
  sampleOf,
  timecode,
  toSample,
  toX,
  type View,
  zoomed,
} from "../model/time.ts";
import { doingOf, leadWords, type Outcome, type Outline, outcome, outlineOf, type Pull, type Still } from "./drag.ts";
import { type Canvas, drawGrips, drawRow } from "./draw.ts";
import { type HeadDesk, Heads } from "./headers.ts";
import {
  type Hit,
  heightOf,
  hit,
  type Row,
  RULER,
  rangeOf,
  rowAt,
  rowsBetween,
  rowsOf,
  type Shown,
  snap,
} from "./rows.ts";

export interface Desk extends HeadDesk {
  scene(): Scene;
  rate: Rate;
  pictures: Pictures;
  shown(): Shown;
  playhead(): number;
  seek(sample: number): void;
  selection(): Selection;
  selectedSeam(): { track: string; at: number } | undefined;
  edgesInHand(): Edge[];
  leads(): { track: string; at: number; lead: number }[];
  offsets(): Record<string, number>;
  select(s: Selection): void;
  clicked(): {
    clip(id: string, more: boolean, edge?: "head" | "tail"): void;
    cut(left: string, right: string, more: boolean): void;
    lull(clip: string, lull: string): void;
    track(id: string, more: boolean): void;
  };
  try(e: Record<string, unknown>): Promise<{ words: string; refused: boolean } | undefined>;
  dragging(stills: Still[] | undefined): void;
}

/** What the hand has hold of. */
type Hold =
  | { what: "clip"; hit: Hit; alt: { altKey: boolean; ctrlKey: boolean; metaKey: boolean } }
  | { what: "playhead" }
  | { what: "ruler" }
  | { what: "cloth" }
  | { what: "range"; end: "from" | "to" }
  | { what: "marker"; id: string };

interface Drag {
  hold: Hold;
  startX: number;
  startY: number;
  x: number; // slowed
  lastX: number;
  y: number;
  more: boolean; // Shift was held as it began
  moved: boolean;
  pull?: Pull;
  out?: Outcome;
  outline?: Outline;
  but?: Set<string>; // clips that move, to which nothing snaps
  marker?: number; // where it would go
  asked?: string; // the edit that the server was asked about last
  told?: { words: string; refused: boolean };
}

export class Timeline {
  view: View = { from: 0, perPixel: 1000 };
  snapping = true;
  private canvas: HTMLCanvasElement;
  private heads: Heads;
  private tag: HTMLElement;
  private desk: Desk;
  private scroll = 0;
  private hover?: Hit;
  private drag?: Drag;
  private foreseen?: Pull; // what keys that were pressed will have done, until the server has done it
  private asking = false;
  private width = 0;
  private height = 0;
  readonly repaint: () => void;

  constructor(canvas: HTMLCanvasElement, heads: HTMLElement, tag: HTMLElement, desk: Desk) {
    [this.canvas, this.tag, this.desk] = [canvas, tag, desk];
    this.heads = new Heads(heads, desk);
    this.repaint = repainter(() => this.paint());
    new ResizeObserver(this.repaint).observe(canvas);
    canvas.addEventListener("pointerdown", (e) => this.down(e));
    canvas.addEventListener("pointermove", (e) => this.move(e));
    canvas.addEventListener("pointerup", () => this.up());
    canvas.addEventListener("pointercancel", () => this.cancel());
    canvas.addEventListener("pointerleave", () => {
      this.hover = undefined;
      if (!this.drag) this.repaint();
    });
    canvas.addEventListener("dblclick", (e) => this.desk.seek(this.onFrame(toSample(this.view, e.offsetX))));
    canvas.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    document.addEventListener(
      "keydown",
      (e) => {
        if (e.key !== "Escape" || !this.drag) return;
        this.cancel();
        e.stopImmediatePropagation();
      },
      { capture: true },
    );
  }

  whole(): void {
    const length = Math.max(endOf(this.desk.scene()), this.desk.scene().sample_rate * 10);
    this.view = { from: 0, perPixel: (length * 1.03) / Math.max(100, this.canvas.clientWidth) };
    this.repaint();
  }

  /** Shows a stretch, with a little room around it. */
  showSpan(from: number, to: number): void {
    const room = Math.max((to - from) * 0.08, 100);
    this.view = {
      from: Math.max(-20, from - room),
      perPixel: (to - from + 2 * room) / Math.max(100, this.canvas.clientWidth),
    };
    this.repaint();
  }

  zoom(factor: number, x = toX(this.view, this.desk.playhead())): void {
    if (x < 0 || x > this.width) x = this.width / 2;
    this.view = zoomed(
      this.view,
      x,
      factor,
      0.05,
      Math.max(1000, (endOf(this.desk.scene()) * 4) / Math.max(1, this.width)),
    );
    this.view.from = Math.max(-20 * this.view.perPixel, this.view.from);
    this.repaint();
  }

  /** Moves the view so that a moment is in it. */
  reveal(sample: number, margin = 60): void {
    const x = toX(this.view, sample);
    if (x < margin || x > this.width - margin)
      this.view.from = Math.max(0, sample - this.view.perPixel * (x < margin ? this.width / 3 : margin * 2));
    this.repaint();
  }

  /** Draws at once what a key press will do, as a drag would be drawn. What it gives is called when the edit is done or
   *  refused; presses that come before that add up. */
  foresee(p: Pull): () => void {
    const same = (q?: Pull) => q && q.at.clip.id === p.at.clip.id && q.doing === p.doing && q.edge === p.edge;
    this.foreseen = same(this.foreseen) ? { ...p, raw: p.raw + this.foreseen!.raw } : p;
    this.repaint();
    return () => {
      if (!same(this.foreseen)) return;
      const raw = this.foreseen!.raw - p.raw,
        at = findClip(this.desk.scene(), p.at.clip.id);
      this.foreseen = raw && at ? { ...this.foreseen!, raw, at } : undefined;
      this.repaint();
    };
  }

  /** What is drawn as it would lie: what a hand holds, or what a key press will do. */
  private outlined(): Canvas["drag"] {
    const d = this.drag,
      p = this.foreseen;
    if (d?.moved && d.pull && d.out && d.outline) return { pull: d.pull, out: d.out, outline: d.outline };
    if (!p || findClip(this.desk.scene(), p.at.clip.id)?.clip !== p.at.clip) return undefined;
    const out = outcome(this.desk.scene(), this.desk.rate, p);
    return { pull: p, out, outline: outlineOf(this.desk.scene(), p, out.delta) };
  }

  private wheel(e: WheelEvent): void {
    e.preventDefault();
    if (e.ctrlKey || e.metaKey) this.zoom(Math.exp(e.deltaY * 0.004), e.offsetX);
    else if (
      e.altKey ||
      (e.shiftKey && !e.deltaX) ||
      Math.abs(e.deltaX) > Math.abs(e.deltaY) ||
      heightOf(this.rows(), this.scroll) <= this.height
    ) {
      this.view.from = Math.max(-20 * this.view.perPixel, this.view.from + (e.deltaX || e.deltaY) * this.view.perPixel);
      this.repaint();
    } else {
      this.scroll = Math.max(
        0,
        Math.min(heightOf(this.rows(), this.scroll) - this.height + 40, this.scroll + e.deltaY),
      );
      this.repaint();
    }
  }

  private rows(): Row[] {
    return rowsOf(this.desk.scene(), this.scroll, this.desk.shown());
  }

  /** A moment on a frame, unless the view is so close that frames are wide. */
  private onFrame(sample: number): number {
    const { rate } = this.desk,
      sr = this.desk.scene().sample_rate;
    if (sampleOf(1, rate, sr) / this.view.perPixel > 60) return sample;
    return sampleOf(nearestFrame(sample, rate, sr), rate, sr);
  }

  private candidates(but: Set<string>): number[] {
    const s = this.desk.scene(),
      sel = this.desk.selection(),
      list = [0, this.desk.playhead(), ...(s.markers ?? []).map((m) => m.at)];
    if (sel.kind === "range") list.push(sel.from, sel.to);
    const last = this.view.from + this.width * this.view.perPixel;
    for (const t of s.tracks)
      for (let i = clipAfter(t, this.view.from); i < t.clips.length && t.clips[i].from < last; i++)
        if (!but.has(t.clips[i].id)) list.push(t.clips[i].from, t.clips[i].to);
    return list;
  }

  private snapped(at: number, but = new Set<string>()): number {
    const near = snap(at, this.candidates(but), this.snapping ? 8 * this.view.perPixel : 0);
    return near === at ? this.onFrame(at) : near;
  }

  // --- the hand ---

  private holdAt(e: PointerEvent): Hold {
    const sel = this.desk.selection(),
      near = (at: number, reach: number) => Math.abs(toX(this.view, at) - e.offsetX) < reach;
    if (e.offsetY < RULER) {
      if (near(this.desk.playhead(), 7) && e.offsetY < RULER - 12) return { what: "playhead" };
      const marker = this.desk.scene().markers?.find((m) => near(m.at, 6));
      if (marker && e.offsetY > RULER - 12) return { what: "marker", id: marker.id };
      if (sel.kind === "range")
        for (const end of ["from", "to"] as const) if (near(sel[end], 6)) return { what: "range", end };
      return { what: "ruler" };
    }
    const h = hit(this.rows(), this.view, e.offsetX, e.offsetY);
    return h
      ? { what: "clip", hit: h, alt: { altKey: e.altKey, ctrlKey: e.ctrlKey, metaKey: e.metaKey } }
      : { what: "cloth" };
  }

  private down(e: PointerEvent): void {
    if (e.button !== 0) return;
    this.canvas.setPointerCapture(e.pointerId);
    this.canvas.focus({ preventScroll: true });
    this.drag = {
      hold: this.holdAt(e),
      startX: e.offsetX,
      startY: e.offsetY,
      x: e.offsetX,
      lastX: e.offsetX,
      y: e.offsetY,
      more: e.shiftKey,
      moved: false,
    };
  }

  private move(e: PointerEvent): void {
    const d = this.drag;
    if (!d) {
      const hold = this.holdAt(e);
      this.hover = hold.what === "clip" ? hold.hit : undefined;
      const sideways =
        (this.hover?.lull && this.hover.edge) ||
        hold.what === "range" ||
        hold.what === "marker" ||
        hold.what === "playhead" ||
        (this.hover && this.hover.grip !== "body");
      this.canvas.style.cursor = sideways ? "ew-resize" : this.hover ? "grab" : "default";
      this.repaint();
      return;
    }
    d.x += (e.offsetX - d.lastX) * (e.shiftKey ? 0.1 : 1);
    d.lastX = e.offsetX;
    d.y = e.offsetY;
    if (Math.abs(e.offsetX - d.startX) > 3 || (Math.abs(e.offsetY - d.startY) > 8 && d.hold.what === "clip"))
      d.moved = true;
    if (d.moved || d.hold.what === "playhead") this.follow(d);
    this.repaint();
  }

  private follow(d: Drag): void {
    const s = this.desk.scene(),
      at = toSample(this.view, d.x),
      sel = this.desk.selection();
    switch (d.hold.what) {
      case "playhead":
        this.desk.seek(Math.max(0, this.onFrame(at)));
        break;
      case "ruler":
      case "cloth": {
        const from = this.snapped(toSample(this.view, d.startX)),
          tracks = d.hold.what === "cloth" ? rowsBetween(this.rows(), d.startY, d.y) : [];
        this.desk.select({ kind: "range", ...rangeOf(from, this.snapped(at)), tracks });
        break;
      }
      case "range":
        if (sel.kind !== "range") break;
        this.desk.select({
          ...sel,
          gap: false,
          ...rangeOf(this.snapped(at), d.hold.end === "from" ? sel.to : sel.from),
        });
        d.hold.end = this.snapped(at) <= (d.hold.end === "from" ? sel.to : sel.from) ? "from" : "to";
        break;
      case "marker":
        d.marker = Math.max(0, this.snapped(at));
        this.say(d, [
          `marker at ${timecode(s.start_frame + frameOf(d.marker, this.desk.rate, s.sample_rate), this.desk.rate)}`,
        ]);
        break;
      case "clip":
        this.followClip(d, d.hold.hit, d.hold.alt);
    }
  }

  /** Works out what the drag of a clip or its edge would do. */
  private followClip(d: Drag, h: Hit, alt: { altKey: boolean; ctrlKey: boolean; metaKey: boolean }): void {
    const s = this.desk.scene(),
      at = { track: h.row.track, clip: h.clip, index: h.index },
      doing = doingOf(h.grip, alt),
      sel = this.desk.selection();
    const also =
      doing === "move" && sel.kind === "clips" && sel.ids.includes(h.clip.id)
        ? sel.ids.filter((id) => id !== h.clip.id)
        : [];
    const row = rowAt(this.rows(), d.y);
    d.but ??= new Set(
      doing === "move" || doing === "slide"
        ? [h.clip.id, ...also].flatMap((id) => {
            const p = findClip(s, id);
            return p ? linked(s, p).map((x) => x.clip.id) : [];
          })
        : [h.clip.id],
    );
    const { but } = d;
    d.pull = {
      doing,
      at,
      edge: h.edge,
      lull: h.lull,
      raw: (d.x - d.startX) * this.view.perPixel,
      drawn: (x) => this.snapped(x, but),
      also,
      whole: (n) => (n < 0 ? -1 : 1) * this.onFrame(Math.abs(n)),
      target: doing === "move" && row && row.track.kind === h.row.track.kind ? row.track : undefined,
    };
    d.out = outcome(s, this.desk.rate, d.pull);
    d.outline = outlineOf(s, d.pull, d.out.delta);
    this.say(d, d.out.words);
    this.desk.dragging(d.out.stills.length ? d.out.stills : undefined);
    void this.ask(d);
  }

  /** Asks the server what the edit would move and what not; one question at a time. */
  private async ask(d: Drag): Promise<void> {
    const e = d.out?.edit,
      key = JSON.stringify(e);
    if (this.asking || key === d.asked || this.drag !== d) return;
    d.asked = key;
    this.asking = true;
    try {
      d.told = e ? await this.desk.try(e) : undefined;
    } finally {
      this.asking = false;
    }
    if (this.drag !== d || !d.out) return;
    this.say(d, d.out.words);
    void this.ask(d); // for where the hand is by now
  }

  private say(d: Drag, words: string[]): void {
    const lines = [words.join("; ")];
    const more = d.told?.refused
      ? [`▲ ${d.told.words}`]
      : // what the outline does not show
        (d.told?.words.split("; ").slice(1) ?? []).filter((w) => / stays?$| taken off$|^scene /.test(w));
    if (more.length) lines.push(more.join("; "));
    this.tag.replaceChildren(
      ...lines.map((text, i) => {
        const el = document.createElement("div");
        el.textContent = i ? `\n${text}` : text;
        return el;
      }),
    );
    this.tag.hidden = false;
    const x = Math.min(d.lastX + 92 + 14, this.canvas.clientWidth + 92 - this.tag.offsetWidth - 4),
      h = this.tag.offsetHeight;
    this.tag.style.left = `${Math.max(96, x)}px`;
    this.tag.style.top = `${Math.max(2, d.y - 12 - h)}px`;
  }

  private up(): void {
    const d = this.drag;
    this.cancel();
    if (!d) return;
    if (d.moved) return this.drop(d);
    switch (d.hold.what) {
      case "ruler":
        return this.desk.seek(Math.max(0, this.onFrame(toSample(this.view, d.startX))));
      case "marker":
        return this.desk.select({ kind: "marker", id: d.hold.id });
      case "cloth":
        return this.clothClicked(d);
      case "clip":
        return this.clipClicked(d.hold.hit, d.more);
    }
  }

  private drop(d: Drag): void {
    if (d.hold.what === "marker" && d.marker !== undefined)
      this.desk.edit({ edit: "set_marker", marker: d.hold.id, at: d.marker });
    if (d.hold.what !== "clip" || !d.pull || !d.out) return;
    const { hit: h } = d.hold,
      sel = this.desk.selection();
    if (h.lull) this.desk.clicked().lull(h.clip.id, h.lull.id);
    else if (!(sel.kind === "clips" && sel.ids.includes(h.clip.id)) || h.grip !== "body") {
      if (d.pull.doing === "roll" || d.pull.doing === "split") this.clipClicked(h, false);
      else
        this.desk.select({
          kind: "clips",
          ids: [h.clip.id],
          ...(h.grip === "fade" || h.grip === "body" ? {} : { edge: h.edge }),
        });
    }
    if (d.out.edit) this.desk.edit(d.out.edit);
  }

  private clipClicked(h: Hit, more: boolean): void {
    if (h.lull) return this.desk.clicked().lull(h.clip.id, h.lull.id);
    const other =
      h.edge && h.grip !== "fade" ? beside({ track: h.row.track, clip: h.clip, index: h.index }, h.edge) : undefined;
    if (other)
      this.desk
        .clicked()
        .cut(h.edge === "head" ? other.clip.id : h.clip.id, h.edge === "head" ? h.clip.id : other.clip.id, more);
    else this.desk.clicked().clip(h.clip.id, more, h.grip === "body" || h.grip === "fade" ? undefined : h.edge);
  }

  /** A click beside all clips takes the gap there in hand. */
  private clothClicked(d: Drag): void {
    const row = rowAt(this.rows(), d.startY),
      at = toSample(this.view, d.startX);
    const gap = row && gaps(row.track).find((x) => x.from <= at && at < x.to);
    this.desk.select(row && gap ? { kind: "range", ...gap, tracks: [row.track.id], gap: true } : { kind: "none" });
  }

  private cancel(): void {
    if (this.drag?.out?.stills.length) this.desk.dragging(undefined);
    this.drag = undefined;
    this.tag.hidden = true;
    this.repaint();
  }

  // --- drawing ---

  private paint(): void {
    const { c, width, height } = sharpen(this.canvas, true),
      col = colours();
    [this.width, this.height] = [width, height];
    const rows = this.rows(),
      sel = this.desk.selection(),
      d = this.drag;
    const g: Canvas = {
      c,
      view: this.view,
      width,
      height,
      col,
      scene: this.desk.scene(),
      rate: this.desk.rate,
      pictures: this.desk.pictures,
      wave: this.desk.shown().wave,
      selected: new Set(sel.kind === "clips" ? sel.ids : []),
      offsets: this.desk.offsets(),
      drag: this.outlined(),
    };
    c.fillStyle = col.page;
    c.fillRect(0, 0, width, height);
    for (const row of rows) if (row.top < height && row.top + row.height > RULER) drawRow(g, row, rows);
    if (this.hover && !d && findClip(g.scene, this.hover.clip.id)?.clip === this.hover.clip) drawGrips(g, this.hover);
    this.range(c, rows, sel, col);
    c.fillStyle = col.page;
    c.fillRect(0, 0, width, RULER);
    this.ruler(c, col, sel);
    this.markers(c, col, sel);
    this.leads(c, rows, col);
    this.edges(c, rows, col);
    const x = toX(this.view, this.desk.playhead());
    c.strokeStyle = c.fillStyle = col.madder;
    c.lineWidth = 1.5;
    c.beginPath();
    c.moveTo(x, 13);
    c.lineTo(x, height);
    c.stroke();
    c.beginPath();
    c.arc(x, 13, 5, 0, 7);
    c.fill();
    this.heads.paint(rows);
    const shows = g.drag ? g.drag.out.words[0] : "";
    if ((this.canvas.dataset.outline ?? "") !== shows) this.canvas.dataset.outline = shows;
  }

  private range(c: CanvasRenderingContext2D, rows: Row[], sel: Selection, col: Colours): void {
    if (sel.kind !== "range") return;
    const x0 = toX(this.view, sel.from),
      x1 = toX(this.view, sel.to);
    for (const r of rows) {
      if (sel.tracks.length && !sel.tracks.includes(r.track.id)) continue;
      c.fillStyle = col.amber + "38";
      c.fillRect(x0, r.top, x1 - x0, r.height);
      c.fillStyle = col.amber;
      c.fillRect(x0, r.top, 1.5, r.height);
      c.fillRect(x1 - 1.5, r.top, 1.5, r.height);
    }
  }

  private ruler(c: CanvasRenderingContext2D, col: Colours, sel: Selection): void {
    const s = this.desk.scene(),
      { rate } = this.desk,
      sr = s.sample_rate,
      one = rate.den / rate.num;
    if (sel.kind === "range") {
      c.fillStyle = col.amber + "66";
      c.fillRect(toX(this.view, sel.from), 12, toX(this.view, sel.to) - toX(this.view, sel.from), RULER - 12);
    }
    const step = rulerStep(this.view, sr, one, 78),
      minor = step / 5;
    c.fillStyle = col.soft;
    c.font = `11px ${FIGURES}`;
    const first = Math.floor(this.view.from / sr / minor),
      last = (this.view.from + this.width * this.view.perPixel) / sr / minor;
    for (let k = Math.max(0, first); k <= last; k++) {
      const major = k % 5 === 0,
        raw = Math.round(k * minor * sr),
        at = minor < one / 5.01 ? raw : sampleOf(nearestFrame(raw, rate, sr), rate, sr),
        x = toX(this.view, at);
      c.globalAlpha = major ? 1 : 0.4;
      c.fillRect(Math.round(x), major ? 13 : 16, 1, major ? 7 : 4);
      if (major) {
        const full = timecode(s.start_frame + frameOf(at, rate, sr), rate),
          into = (1000 * (at - sampleOf(frameOf(at, rate, sr), rate, sr))) / sr;
        if (step < one && into > 0.01) {
          c.fillText(`+${into.toFixed(1)} ms`, x + 4, 12);
          continue;
        }
        c.fillText(step >= 1 ? full.slice(3, 8) : full.slice(6), x + 4, 12);
      }
    }
    c.globalAlpha = 1;
  }

  private markers(c: CanvasRenderingContext2D, col: Colours, sel: Selection): void {
    c.font = `11px ${TEXT}`;
    let free = -Infinity; // names that would lie over the one before are left out
    const all = this.desk.scene().markers ?? [];
    for (const [i, m] of all.entries()) {
      const moved = this.drag?.hold.what === "marker" && this.drag.hold.id === m.id ? this.drag.marker : undefined;
      const x = toX(this.view, moved ?? m.at),
        chosen = sel.kind === "marker" && sel.id === m.id;
      if (x < -200 || x > this.width) continue;
      c.fillStyle = chosen ? col.ink : col.tone;
      c.beginPath();
      c.moveTo(x - 4, RULER - 9);
      c.lineTo(x + 4, RULER - 9);
      c.lineTo(x, RULER - 1);
      c.fill();
      c.globalAlpha = 0.25;
      c.fillRect(x, RULER, 1, this.height);
      c.globalAlpha = 1;
      if (x < free) continue;
      c.fillStyle = chosen ? col.ink : col.soft;
      const next = all[i + 1] ? toX(this.view, all[i + 1].at) - x - 14 : 120,
        text = fitted(c, m.name, Math.min(120, next));
      c.fillText(text, x + 6, RULER - 2);
      free = x + c.measureText(text).width + 12;
    }
  }

  /** Where sound is cut earlier or later than picture: a line from the one's cut to the other's. */
  private leads(c: CanvasRenderingContext2D, rows: Row[], col: Colours): void {
    const { rate } = this.desk,
      sr = this.desk.scene().sample_rate;
    c.font = `600 11px ${TEXT}`;
    const free = new Map<Row, number>(); // words that would lie over those before are left out
    for (const m of this.desk.leads()) {
      const row = rows.find((r) => r.track.id === m.track),
        n = Math.round((m.lead * rate.num) / (rate.den * sr));
      if (!row || n === 0 || row.folded) continue;
      const x0 = toX(this.view, m.at),
        x1 = toX(this.view, m.at + m.lead);
      if (Math.max(x0, x1) < 0 || Math.min(x0, x1) > this.width) continue;
      c.strokeStyle = c.fillStyle = col.picture;
      c.lineWidth = 1.5;
      c.setLineDash([3, 2]);
      c.beginPath();
      c.moveTo(x1, row.top - 4);
      c.lineTo(x1, row.top + row.height);
      c.moveTo(x0, row.top + 4);
      c.lineTo(x1, row.top + 4);
      c.stroke();
      c.setLineDash([]);
      const words = leadWords(n).replace(/^sound (\w+) by (\d+).*/, "$1 $2 f"),
        w = c.measureText(words).width;
      const left = Math.max(x0, x1) + 3;
      if (left < (free.get(row) ?? -Infinity)) continue;
      free.set(row, left + w + 6);
      c.globalAlpha = 0.9;
      c.fillStyle = col.surface;
      c.fillRect(left - 1, row.top + 1, w + 4, 12);
      c.globalAlpha = 1;
      c.fillStyle = col.picture;
      c.fillText(words, left + 1, row.top + 11);
    }
  }

  /** The edges in hand, and the seam. */
  private edges(c: CanvasRenderingContext2D, rows: Row[], col: Colours): void {
    const s = this.desk.scene(),
      m = this.desk.selectedSeam();
    c.fillStyle = col.madder;
    const mark = (row: Row, at: number, pin: boolean) => {
      const x = toX(this.view, at);
      if (pin) {
        c.beginPath();
        c.moveTo(x - 5, row.top - 5);
        c.lineTo(x + 5, row.top - 5);
        c.lineTo(x, row.top + 2);
        c.fill();
      }
      c.fillRect(x - 0.75, row.top, 1.5, row.height);
    };
    const seamRow = m && rows.find((r) => r.track.id === m.track);
    if (m && seamRow) mark(seamRow, m.at, true);
    for (const e of this.desk.edgesInHand()) {
      const at = edgeAt(s, e),
        p = findClip(s, e.right ?? e.left ?? ""),
        row = p && rows.find((r) => r.track === p.track);
      if (at === undefined || !row) continue;
      mark(row, at, false);
      const x = toX(this.view, at); // a bracket on the side of the clip whose edge it is
      for (const [side, has] of [
        [-1, e.left],
        [1, e.right],
      ] as const) {
        if (!has) continue;
        c.fillRect(side < 0 ? x - 6 : x, row.top, 6, 2);
        c.fillRect(side < 0 ? x - 6 : x, row.top + row.height - 2, 6, 2);
      }
    }
  }
}
