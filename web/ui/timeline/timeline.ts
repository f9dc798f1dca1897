// The timeline: ruler, tracks, playhead, and what a hand does there. A drag only draws the outline, within what is
// possible; on release it sends the edit.

import { layers } from "../drawing/paint.ts";
import { clock } from "../model/clock.ts";
import { beside, endOf, findClip, gaps, linked, type Scene } from "../model/scene.ts";
import { toSample, toX } from "../model/time.ts";
import type { Reach } from "../wire/edit.ts";
import type { Canvas } from "./canvas.ts";
import type { Desk, Drag, Hold } from "./desk.ts";
import { doingOf, outcome, outlineOf } from "./drag.ts";
import { type Drawn, paintPlayhead, paintUnder } from "./draw-timeline.ts";
import { Foreseen } from "./foreseen.ts";
import type { Gesture } from "./gesture.ts";
import { TrackHeaders } from "./headers.ts";
import { clickedLine, pullOf } from "./level-hit.ts";
import { Overview } from "./overview.ts";
import { Reaches } from "./reaches.ts";
import { type Hit, heightOf, hit, type Row, RULER, rowAt, rowsBetween, rowsOf } from "./rows.ts";
import { Snapping } from "./snapping.ts";
import { showTag } from "./tag.ts";
import { Viewport } from "./viewport.ts";

const HEADERS = 92; // pixels, of the track headers beside it

export class Timeline extends Viewport implements Drawn {
  readonly snapping: Snapping;
  readonly canvas: HTMLCanvasElement;
  protected readonly limits = { closest: 0.05, margin: 20 };
  openings: { clip: string; list: { from: number; to: number }[] } = { clip: "", list: [] }; // where words could lie
  goes: { clip: string; from: number; to: number }[] = []; // what an edit that is asked about would take away
  headers: TrackHeaders;
  private tag: HTMLElement;
  desk: Desk;
  private scroll = 0;
  hover?: Hit;
  drag?: Drag;
  readonly foreseen: Foreseen;
  private overview: Overview;
  private asking = false;
  private reaches: Reaches;
  private dropped?: Drag; // by the hand, before it was known how far it may go
  width = 0;
  height = 0;
  readonly repaint: () => void;
  readonly played: () => void; // nothing but the playhead has moved

  constructor(canvas: HTMLCanvasElement, heads: HTMLElement, tag: HTMLElement, desk: Desk) {
    super();
    this.reaches = new Reaches(desk.id, desk.scene, () => this.reached());
    [this.canvas, this.tag, this.desk] = [canvas, tag, desk];
    this.headers = new TrackHeaders(heads, desk);
    this.snapping = new Snapping(desk, () => this);
    const drawn = layers(
      canvas,
      () => paintUnder(this),
      () => {
        paintPlayhead(this);
        this.overview.paint();
      },
    );
    [this.repaint, this.played] = [drawn.whole, drawn.over];
    this.overview = new Overview(document.querySelector<HTMLCanvasElement>("#overview")!, this, desk);
    this.foreseen = new Foreseen(desk, this.reaches, drawn.now, this.repaint);
    new ResizeObserver(this.repaint).observe(canvas);
    canvas.addEventListener("pointerdown", (e) => this.down(e));
    canvas.addEventListener("pointermove", (e) => this.move(e));
    canvas.addEventListener("pointerup", () => this.up());
    canvas.addEventListener("pointercancel", () => this.cancel());
    canvas.addEventListener("pointerleave", () => {
      this.hover = undefined;
      if (!this.drag) this.repaint();
    });
    canvas.addEventListener("dblclick", (e) => this.twice(e));
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

  /** A double click changes the points of a level line, or puts the playhead there. */
  private twice(e: MouseEvent): void {
    const h = this.hitAt(e),
      at = toSample(this.view, e.offsetX);
    if (h?.grip === "point" || h?.grip === "line" || h?.grip === "gain")
      this.desk.edit(clickedLine(h.clip, h, at, this.desk.leastSlope));
    else this.desk.seek(this.snapping.onFrame(at));
  }

  protected extent(): { length: number; playhead: number } {
    const s = this.desk.scene();
    return { length: Math.max(endOf(s), s.sample_rate * 10), playhead: this.desk.playhead() };
  }

  /** What is drawn as it would lie: what a hand holds, or what a key press will do. */
  outlined(): Canvas["drag"] {
    const d = this.drag;
    if (d?.moved && d.pull && d.out && d.outline) return { pull: d.pull, out: d.out, outline: d.outline };
    return this.foreseen.outlined();
  }

  /** The scene that is drawn: as it is, or as edits under way will leave it. */
  scene(): Scene {
    return this.foreseen.scene();
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

  rows(): Row[] {
    return rowsOf(this.scene(), this.scroll, this.desk.shown());
  }

  /** What clips and markers come to lie on: ends of the range in hand, too. */
  private snapped(at: number, but?: Set<string>): number {
    const sel = this.desk.selection();
    return this.snapping.at(at, but, sel.kind === "range" ? [sel.from, sel.to] : []);
  }

  // --- the hand ---

  private hitAt(e: MouseEvent): Hit | undefined {
    const sel = this.desk.selection();
    return hit(this.rows(), this.view, e.offsetX, e.offsetY, new Set(sel.kind === "clips" ? sel.ids : []));
  }

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
    const h = this.hitAt(e);
    if (h?.grip === "body" && e.altKey && (e.ctrlKey || e.metaKey)) return { what: "cloth" }; // a range over the clip
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
      down: 0,
      lastY: e.offsetY,
      more: e.shiftKey,
      moved: false,
    };
  }

  private move(e: PointerEvent): void {
    const d = this.drag;
    if (!d) {
      const hold = this.holdAt(e);
      this.hover = hold.what === "clip" ? hold.hit : undefined;
      if (this.hover) this.reachOf(this.hover, doingOf(this.hover.grip, e)); // asked for ahead
      const upright = /^(line|gain|bend)$/.test(this.hover?.grip ?? ""),
        sideways =
          (this.hover?.lull && this.hover.edge) ||
          hold.what === "range" ||
          hold.what === "marker" ||
          hold.what === "playhead" ||
          (this.hover && this.hover.grip !== "body");
      this.canvas.style.cursor = upright ? "ns-resize" : sideways ? "ew-resize" : this.hover ? "grab" : "default";
      this.repaint();
      return;
    }
    d.x += (e.offsetX - d.lastX) * (e.shiftKey ? 0.1 : 1);
    d.down += (e.offsetY - d.lastY) * (e.shiftKey ? 0.1 : 1);
    [d.lastX, d.lastY] = [e.offsetX, e.offsetY];
    d.y = e.offsetY;
    d.only = e.altKey ? "time" : e.ctrlKey || e.metaKey ? "level" : undefined;
    const far = d.hold.what !== "clip" ? Infinity : /point|line|gain|bend/.test(d.hold.hit.grip) ? 2 : 8;
    if (Math.abs(e.offsetX - d.startX) > 3 || Math.abs(e.offsetY - d.startY) > far) d.moved = true;
    if (d.moved || d.hold.what === "playhead") this.follow(d);
    this.repaint();
  }

  private follow(d: Drag): void {
    const s = this.desk.scene(),
      at = toSample(this.view, d.x),
      sel = this.desk.selection();
    switch (d.hold.what) {
      case "playhead":
        this.desk.seek(Math.max(0, this.snapping.onFrame(at)));
        break;
      case "ruler":
      case "cloth": {
        const drawn = this.snapping.range(toSample(this.view, d.startX), at),
          tracks = d.hold.what === "cloth" ? rowsBetween(this.rows(), d.startY, d.y) : [];
        this.desk.select(drawn ? { kind: "range", ...drawn, tracks } : { kind: "none" });
        break;
      }
      case "range": {
        if (sel.kind !== "range") break;
        const other = d.hold.end === "from" ? sel.to : sel.from,
          drawn = this.snapping.range(at, other);
        if (drawn) this.desk.select({ ...sel, gap: false, ...drawn });
        if (drawn) d.hold.end = drawn.to === other ? "from" : "to";
        break;
      }
      case "marker":
        d.marker = Math.max(0, this.snapped(at));
        this.say(d, [`marker at ${clock(s, this.desk.rate, d.marker)}`]);
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
      (doing === "move" || doing === "gain") && sel.kind === "clips" && sel.ids.includes(h.clip.id)
        ? sel.ids.filter((id) => id !== h.clip.id && (doing === "move" || findClip(s, id)?.track.kind === "sound"))
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
      whole: (n) => (n < 0 ? -1 : 1) * this.snapping.onFrame(Math.abs(n)),
      target: doing === "move" && row && row.track.kind === h.row.track.kind ? row.track : undefined,
      reach: this.reachOf(h, doing),
      level: pullOf(d, h, this.view, this.desk.leastSlope, sel.kind === "range" ? sel : undefined),
      overlaps: this.desk.overlaps(),
    };
    const waits = !d.pull.reach && Reaches.needed(doing); // until it is told how far that may go
    this.canvas.dataset.waits = String(waits);
    d.out = undefined;
    if (waits) return;
    d.out = outcome(s, this.desk.rate, d.pull);
    d.outline = outlineOf(s, d.pull, d.out.delta);
    this.say(d, d.out.words);
    this.desk.dragging(d.out.stills.length ? d.out.stills : undefined);
    void this.ask(d);
  }

  /** What the server says of what is under the hand, if it limits that. */
  private reachOf(h: Hit, doing: Gesture): Reach | undefined {
    const { edge } = h;
    return !h.lull && Reaches.needed(doing) ? this.reaches.of({ clip: h.clip.id, edge, doing }) : undefined;
  }

  /** Goes on with what waited for the server to say how far it may go. */
  private reached(): void {
    const d = this.drag ?? this.dropped;
    if (d?.moved && d.hold.what === "clip" && !d.out) {
      this.followClip(d, d.hold.hit, d.hold.alt);
      if (d === this.dropped && d.out) {
        this.cancel();
        this.drop(d);
      }
    }
    if (this.hover || this.foreseen.pulling) this.repaint();
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
    const more = d.told?.refused
      ? [`▲ ${d.told.words}`]
      : // what the outline does not show
        (d.told?.words.split("; ").slice(1) ?? []).filter((w) => / stays?$| taken off$|^scene /.test(w));
    showTag(this.tag, [words.join("; "), more.join("; ")], d.lastX + HEADERS, d.y, this.canvas.clientWidth + HEADERS);
  }

  private up(): void {
    const d = this.drag;
    this.cancel();
    if (!d) return;
    if (d.moved && d.hold.what === "clip" && d.pull && !d.out) this.dropped = d; // until its reach is known
    if (d.moved) return this.drop(d);
    switch (d.hold.what) {
      case "ruler":
        return this.desk.seek(Math.max(0, this.snapping.onFrame(toSample(this.view, d.startX))));
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
          ...(h.grip === "fade" || !h.edge ? {} : { edge: h.edge }),
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
    this.dropped = undefined;
    if (this.drag?.out?.stills.length) this.desk.dragging(undefined);
    this.drag = undefined;
    this.tag.hidden = true;
    this.repaint();
  }
}
