// How the timeline is drawn: its ruler, markers, ranges, and what is in hand; tracks are drawn by draw.ts.

import { drawHeard } from "../drawing/heard.ts";
import { type Colours, colours, FIGURES, fitted, sharpen, TEXT } from "../drawing/paint.ts";
import { startFrame } from "../model/clock.ts";
import { rulerMarks } from "../model/ruler.ts";
import { edgeAt, findClip, type Scene } from "../model/scene.ts";
import type { Selection } from "../model/selection.ts";
import { toX, type View } from "../model/time.ts";
import type { Canvas } from "./canvas.ts";
import type { Desk } from "./desk.ts";
import { leadWords } from "./drag.ts";
import { drawRow } from "./draw.ts";
import { drawGrips } from "./draw-grips.ts";
import { type Hit, type Row, RULER } from "./rows.ts";

/** What is drawn, and where. */
export interface Drawn {
  readonly canvas: HTMLCanvasElement;
  readonly desk: Desk;
  readonly view: View;
  readonly headers: { paint(rows: Row[]): void };
  readonly hover?: Hit;
  readonly openings: { clip: string; list: { from: number; to: number }[] };
  readonly goes: { clip: string; from: number; to: number }[];
  readonly drag?: { moved: boolean; marker?: number; hold: { what: string; id?: string } };
  width: number;
  height: number;
  scene(): Scene;
  rows(): Row[];
  outlined(): Canvas["drag"];
}

/** All but the playhead. */
export function paintUnder(t: Drawn): void {
  const { c, width, height } = sharpen(t.canvas, true),
    col = colours();
  [t.width, t.height] = [width, height];
  const rows = t.rows(),
    sel = t.desk.selection(),
    d = t.drag;
  const g: Canvas = {
    c,
    view: t.view,
    width,
    height,
    col,
    scene: t.scene(),
    rate: t.desk.rate,
    pictures: t.desk.pictures,
    wave: t.desk.shown().wave,
    band: t.desk.shown().band,
    selected: new Set(sel.kind === "clips" ? sel.ids : []),
    offsets: t.desk.offsets(),
    ducks: t.desk.ducks(),
    drag: t.outlined(),
    passing: (track) => t.scene() !== t.desk.scene() && !t.desk.scene().tracks.includes(track),
  };
  c.fillStyle = col.page;
  c.fillRect(0, 0, width, height);
  for (const row of rows) if (row.top < height && row.top + row.height > RULER) drawRow(g, row, rows);
  if (t.hover && !d && findClip(g.scene, t.hover.clip.id)?.clip === t.hover.clip) drawGrips(g, t.hover);
  heard(t, c, rows, sel, col);
  range(t, c, rows, sel, col);
  openings(t, c, rows, col);
  going(t, c, rows, col);
  c.fillStyle = col.page;
  c.fillRect(0, 0, width, RULER);
  ruler(t, c, col, sel);
  markers(t, c, col, sel);
  remarked(t, c, col);
  leads(t, c, rows, col);
  edges(t, c, rows, col);
  t.headers.paint(rows);
  const shows = g.drag ? g.drag.out.words[0] : g.scene === t.desk.scene() ? "" : "as it will be";
  if ((t.canvas.dataset.outline ?? "") !== shows) t.canvas.dataset.outline = shows;
}

/** The playhead, over all else. */
export function paintPlayhead(t: Drawn): void {
  const { c, height } = sharpen(t.canvas, true),
    x = toX(t.view, t.desk.playhead());
  c.strokeStyle = c.fillStyle = colours().madder;
  c.lineWidth = 1.5;
  c.beginPath();
  c.moveTo(x, 13);
  c.lineTo(x, height);
  c.stroke();
  c.beginPath();
  c.arc(x, 13, 5, 0, 7);
  c.fill();
}

/** What is heard in the one clip in hand, as a lane above its name. */
function heard(t: Drawn, c: CanvasRenderingContext2D, rows: Row[], sel: Selection, col: Colours): void {
  const one = sel.kind === "clips" && sel.ids.length === 1 ? findClip(t.scene(), sel.ids[0]) : undefined,
    row = one && rows.find((r) => r.track === one.track),
    known = one && t.desk.heard(one.clip.source);
  if (!one || !row || row.folded || !known || t.drag || row.height < 36) return;
  const { clip } = one,
    x = (sample: number) => toX(t.view, clip.from + sample - clip.in),
    left = Math.max(0, toX(t.view, clip.from) + 1),
    right = Math.min(t.width, toX(t.view, clip.to) - 1);
  if (right - left < 8) return;
  drawHeard(c, known.parts, { x, left, right, top: row.top + row.height - 24, height: 8 }, col);
}

/** Where words could lie over a clip, at its foot. */
function openings(t: Drawn, c: CanvasRenderingContext2D, rows: Row[], col: Colours): void {
  const row = rows.find((r) => r.track.clips.some((x) => x.id === t.openings.clip));
  if (!row || row.folded) return;
  c.fillStyle = col.moss;
  for (const o of t.openings.list) {
    const x0 = toX(t.view, o.from);
    c.fillRect(x0, row.top + row.height - 4, Math.max(2, toX(t.view, o.to) - x0), 3);
  }
}

/** What an edit that is asked about would take away: hatched. */
function going(t: Drawn, c: CanvasRenderingContext2D, rows: Row[], col: Colours): void {
  for (const g of t.goes) {
    const row = rows.find((r) => r.track.clips.some((x) => x.id === g.clip));
    if (!row) continue;
    const [x0, x1] = [toX(t.view, g.from), toX(t.view, g.to)];
    c.save();
    c.beginPath();
    c.rect(x0, row.top, x1 - x0, row.height);
    c.clip();
    c.globalAlpha = 0.75;
    c.fillStyle = col.page;
    c.fillRect(x0, row.top, x1 - x0, row.height);
    c.globalAlpha = 1;
    c.strokeStyle = col.madder;
    c.lineWidth = 1.5;
    c.beginPath();
    for (let x = Math.max(x0, 0) - row.height; x < Math.min(x1, t.width); x += 7) {
      c.moveTo(x, row.top + row.height);
      c.lineTo(x + row.height, row.top);
    }
    c.stroke();
    c.restore();
  }
}

function range(t: Drawn, c: CanvasRenderingContext2D, rows: Row[], sel: Selection, col: Colours): void {
  if (sel.kind !== "range") return;
  const x0 = toX(t.view, sel.from),
    x1 = toX(t.view, sel.to);
  for (const r of rows) {
    if (sel.tracks.length && !sel.tracks.includes(r.track.id)) continue;
    c.fillStyle = col.amber + "38";
    c.fillRect(x0, r.top, x1 - x0, r.height);
    c.fillStyle = col.amber;
    c.fillRect(x0, r.top, 1.5, r.height);
    c.fillRect(x1 - 1.5, r.top, 1.5, r.height);
  }
}

function ruler(t: Drawn, c: CanvasRenderingContext2D, col: Colours, sel: Selection): void {
  const s = t.scene(),
    { rate } = t.desk,
    sr = s.sample_rate;
  if (sel.kind === "range") {
    c.fillStyle = col.amber + "66";
    c.fillRect(toX(t.view, sel.from), 12, toX(t.view, sel.to) - toX(t.view, sel.from), RULER - 12);
  }
  c.fillStyle = col.soft;
  c.font = `11px ${FIGURES}`;
  for (const m of rulerMarks(t.view, t.width, startFrame(s), rate, sr)) {
    const x = toX(t.view, m.at);
    c.globalAlpha = m.text ? 1 : 0.4;
    c.fillRect(Math.round(x), m.text ? 13 : 16, 1, m.text ? 7 : 4);
    if (m.text) c.fillText(m.text, x + 4, 12);
  }
  c.globalAlpha = 1;
}

function markers(t: Drawn, c: CanvasRenderingContext2D, col: Colours, sel: Selection): void {
  c.font = `11px ${TEXT}`;
  let free = -Infinity; // names that would lie over the one before are left out
  const all = t.scene().markers ?? [];
  for (const [i, m] of all.entries()) {
    const moved = t.drag?.hold.what === "marker" && t.drag.hold.id === m.id ? t.drag.marker : undefined;
    const x = toX(t.view, moved ?? m.at),
      chosen = sel.kind === "marker" && sel.id === m.id;
    const end = x + (m.length ?? 0) / t.view.perPixel;
    if (Math.max(x, end) < -200 || x > t.width) continue;
    c.fillStyle = chosen ? col.ink : col.tone;
    if (m.length) c.fillRect(x, RULER - 2, Math.max(1, end - x), 2); // what a named range names
    c.beginPath();
    c.moveTo(x - 4, RULER - 9);
    c.lineTo(x + 4, RULER - 9);
    c.lineTo(x, RULER - 1);
    c.fill();
    c.globalAlpha = 0.25;
    c.fillRect(x, RULER, 1, t.height);
    c.globalAlpha = 1;
    if (x < free) continue;
    c.fillStyle = chosen ? col.ink : col.soft;
    const next = all[i + 1] ? toX(t.view, all[i + 1].at) - x - 14 : 120,
      text = fitted(c, m.name, Math.min(120, next));
    c.fillText(text, x + 6, RULER - 2);
    free = x + c.measureText(text).width + 12;
  }
}

/** Notes that are open: a slip of paper on the ruler, with its range; and where others have a seam in hand, by name. */
function remarked(t: Drawn, c: CanvasRenderingContext2D, col: Colours): void {
  const { notes, others } = t.desk.remarked();
  c.font = `11px ${TEXT}`;
  for (const n of notes) {
    const x = toX(t.view, n.at),
      end = x + n.length / t.view.perPixel;
    if (end < -10 || x > t.width + 10) continue;
    c.fillStyle = col.music;
    if (n.length) c.fillRect(x, RULER - 2, Math.max(1, end - x), 2);
    c.beginPath();
    c.moveTo(x - 4, RULER - 12);
    c.lineTo(x + 2, RULER - 12);
    c.lineTo(x + 5, RULER - 9);
    c.lineTo(x + 5, RULER - 2);
    c.lineTo(x - 4, RULER - 2);
    c.fill();
    c.fillStyle = col.surface;
    c.fillRect(x - 2, RULER - 8, 5, 1);
    c.fillRect(x - 2, RULER - 5, 5, 1);
  }
  for (const o of others) {
    const x = toX(t.view, o.at),
      text = fitted(c, o.who, 90),
      w = c.measureText(text).width;
    if (x < -w || x > t.width) continue;
    c.fillStyle = col.ink;
    c.fillRect(x - 0.5, RULER, 1, t.height);
    c.fillRect(x, RULER + 1, w + 8, 14);
    c.fillStyle = col.surface;
    c.fillText(text, x + 4, RULER + 12);
  }
}

/** Where sound is cut earlier or later than picture: a line from the one's cut to the other's. */
function leads(t: Drawn, c: CanvasRenderingContext2D, rows: Row[], col: Colours): void {
  const { rate } = t.desk,
    sr = t.scene().sample_rate;
  c.font = `600 11px ${TEXT}`;
  const free = new Map<Row, number>(); // words that would lie over those before are left out
  for (const m of t.desk.leads()) {
    const row = rows.find((r) => r.track.id === m.track),
      n = Math.round((m.lead * rate.num) / (rate.den * sr));
    if (!row || n === 0 || row.folded) continue;
    const x0 = toX(t.view, m.at),
      x1 = toX(t.view, m.at + m.lead);
    if (Math.max(x0, x1) < 0 || Math.min(x0, x1) > t.width) continue;
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
function edges(t: Drawn, c: CanvasRenderingContext2D, rows: Row[], col: Colours): void {
  const s = t.scene(),
    m = t.desk.selectedSeam();
  c.fillStyle = col.madder;
  const mark = (row: Row, at: number, pin: boolean) => {
    const x = toX(t.view, at);
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
  for (const e of t.desk.edgesInHand()) {
    const at = edgeAt(s, e),
      p = findClip(s, e.right ?? e.left ?? ""),
      row = p && rows.find((r) => r.track === p.track);
    if (at === undefined || !row) continue;
    mark(row, at, false);
    const x = toX(t.view, at); // a bracket on the side of the clip whose edge it is
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
