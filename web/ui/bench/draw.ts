// How the bench is drawn: three strips on one time axis, the gains over them, and the ribbon of the summed level.

import { colours, FIGURES, sharpen, stitches, TEXT } from "../drawing/paint.ts";

import { type BenchView, canBlend, type Seam, type Stretch, type Strip } from "../model/seam.ts";
import { toX } from "../model/time.ts";
import { leadWords } from "../timeline/drag.ts";
import { gains, labels, sumRibbon } from "./draw-gains.ts";
import { type Drawn, plate } from "./drawn.ts";

export const RIBBON = 34;

/** All but the playhead. */
export function paintUnder(b: Drawn): void {
  const { c, width, height } = sharpen(b.canvas),
    col = colours();
  if (width < 2) return; // not shown
  b.width = width;
  c.clearRect(0, 0, width, height);
  const h = Math.floor((height - RIBBON - 8) / 3),
    tops = [2, h + 5, 2 * h + 8],
    ribbon = 3 * h + 12;
  c.fillStyle = col.surface;
  for (const y of tops) c.fillRect(0, y, width, h);
  c.fillRect(0, ribbon, width, height - ribbon);
  const s = b.seam,
    d = b.data;
  if (!s) {
    c.fillStyle = col.soft;
    c.font = `13px ${TEXT}`;
    c.textAlign = "center";
    c.fillText("Choose a seam in the list or in the timeline", width / 2, tops[1] + h / 2);
    c.textAlign = "left";
    return;
  }
  const { before, after, cut } = b.halves(),
    lulled = s.kind === "lull",
    edge = canBlend(s) || (lulled && d) ? [cut - before, cut + after] : [s.from, s.to];
  const [b0, b1] = [toX(b.view, edge[0]), toX(b.view, edge[1])],
    xc = toX(b.view, cut);
  if (b1 > b0) {
    c.fillStyle = col.tone + "26";
    c.fillRect(b0, tops[0], b1 - b0, tops[2] + h - tops[0]);
  }
  if (d && canBlend(s)) reach(b, c, d, cut, tops, h, col);
  if (d) {
    const thread = col[b.stand.thread()] ?? col.dialogue;
    b.louder = Math.min(
      300,
      0.92 / Math.max(0.003, ...[d.outgoing, d.incoming, d.result].map((s) => (s ? loudest(s) : 0))),
    );
    if (d.outgoing) strip(b, c, d, d.outgoing, tops[0], h, thread, (x) => (lulled || x < Math.max(b1, xc) ? 1 : 0.25));
    if (d.incoming)
      strip(b, c, d, d.incoming, tops[1], h, thread, (x) =>
        lulled ? (x >= b0 && x <= b1 ? 1 : 0.12) : x >= Math.min(b0, xc) ? 1 : 0.25,
      );
    strip(b, c, d, d.result, tops[2], h, col.ink, () => 1);
    for (const k of [0, 1]) words(b, c, d.words?.[k] ?? [], tops[k] + h - 4, h, col);
    levels(b, c, d, tops[2], h, col, b0, b1);
    gains(b, c, d, tops, h, b0, b1, xc, col);
    sumRibbon(b, c, d, ribbon, height - ribbon, col);
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
  if (b.marked !== undefined) {
    const x = Math.round(toX(b.view, b.marked)) + 0.5;
    c.strokeStyle = c.fillStyle = col.moss;
    c.setLineDash([4, 3]);
    c.beginPath();
    c.moveTo(x, tops[0]);
    c.lineTo(x, tops[2] + h);
    c.stroke();
    c.setLineDash([]);
    c.font = `600 11.5px ${TEXT}`;
    plate(c, "place", x + 5, tops[1] + h / 2, col);
  }
  pictureCut(b, c, s, cut, tops, h, col);
  labels(b, c, s, tops, width, col, before, after, b0, b1);
}

/** The playhead, over all else. */
export function paintPlayhead(b: Drawn): void {
  const { c, width, height } = sharpen(b.canvas),
    play = toX(b.view, b.stand.playhead());
  if (!b.seam || play < 0 || play > width) return;
  c.strokeStyle = colours().ink;
  c.lineWidth = 1;
  c.setLineDash([2, 3]);
  c.beginPath();
  c.moveTo(play, 0);
  c.lineTo(play, height);
  c.stroke();
  c.setLineDash([]);
}

/** Shades how far a blend can go, and hatches what lies beyond. */
function reach(
  b: Drawn,
  c: CanvasRenderingContext2D,
  d: BenchView,
  cut: number,
  tops: number[],
  h: number,
  col: Record<string, string>,
): void {
  const far = (n: number) => (n > 1e12 ? Infinity : n);
  const x0 = toX(b.view, cut - far(d.reach_before)),
    x1 = toX(b.view, cut + far(d.reach_after)),
    bottom = tops[2] + h;
  c.strokeStyle = col.line;
  c.lineWidth = 1;
  for (const [a, z] of [
    [0, Math.min(b.width, x0)],
    [Math.max(0, x1), b.width],
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
function words(
  b: Drawn,
  c: CanvasRenderingContext2D,
  list: Stretch[],
  y: number,
  h: number,
  col: Record<string, string>,
): void {
  c.strokeStyle = c.fillStyle = col.moss;
  for (const w of list) {
    const a = Math.max(0, toX(b.view, w.span.from)),
      z = Math.min(b.width, toX(b.view, w.span.to));
    if (z <= a) continue;
    c.lineWidth = 1.5;
    c.setLineDash(w.kind === "breath" ? [2, 3] : []);
    c.beginPath();
    c.moveTo(a, y);
    c.lineTo(z, y);
    c.stroke();
    c.setLineDash([]);
    if (w.kind === "breath") continue;
    for (const x of [toX(b.view, w.span.from), toX(b.view, w.span.to)])
      if (x >= 0 && x <= b.width)
        c.fillRect(Math.round(x) - 0.75, y - Math.min(14, h / 4), 1.5, Math.min(14, h / 4) + 2);
    const va = Math.max(0, toX(b.view, w.voiced.from)),
      vz = Math.min(b.width, toX(b.view, w.voiced.to));
    if (w.voiced.to > w.voiced.from && vz > va) c.fillRect(va, y - 2, vz - va, 4);
  }
}

/** Where the picture is cut, if sound leads or trails it; said in the strip whose side has no voice there. */
function pictureCut(
  b: Drawn,
  c: CanvasRenderingContext2D,
  s: Seam,
  cut: number,
  tops: number[],
  h: number,
  col: Record<string, string>,
): void {
  if (s.lead === undefined) return;
  const at = s.at + s.lead,
    n = Math.round(((at - cut) * b.stand.rate.num) / (b.stand.rate.den * b.stand.sampleRate));
  if (n === 0) return;
  const x = toX(b.view, at);
  c.strokeStyle = c.fillStyle = col.picture;
  c.lineWidth = 1.5;
  c.setLineDash([6, 3]);
  c.beginPath();
  c.moveTo(x, tops[0]);
  c.lineTo(x, tops[2] + h);
  c.stroke();
  c.setLineDash([]);
  c.font = `600 11.5px ${TEXT}`;
  const said = `picture is cut here; ${leadWords(n)}`,
    wide = c.measureText(said).width + 6,
    right = n > 0 ? x + wide < b.width : x < wide;
  c.textAlign = right ? "left" : "right";
  plate(c, said, right ? x + 6 : x - 6, tops[n > 0 ? 0 : 1] + h - 4, col);
  c.textAlign = "left";
}

function strip(
  b: Drawn,
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
  const x = (i: number) => toX(b.view, d.from + ((d.to - d.from) * i) / n);
  const y = (v: number) => mid - Math.max(-1, Math.min(1, v * b.louder)) * half;
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
function levels(
  b: Drawn,
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
    c.lineTo(toX(b.view, d.from + ((d.to - d.from) * (i + 0.5)) / d.level.length), y(db));
  c.stroke();
  const m = b.seam!.measures,
    l = m.background_left_db,
    r = m.background_right_db;
  c.strokeStyle = c.fillStyle = col.tone;
  c.font = `11px ${FIGURES}`;
  c.setLineDash([5, 4]);
  c.lineWidth = 1.5;
  const spans =
    b.seam!.kind === "lull"
      ? ([
          [l, 0, b0],
          [r, b0, b1],
          [l, b1, b.width],
        ] as const)
      : ([
          [l, 0, b0],
          [r, b1, b.width],
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
    [r, "right", b.width - 8],
  ] as const) {
    if (db == null) continue;
    c.textAlign = align;
    plate(
      c,
      (b.seam!.kind === "lull" ? (align === "left" ? "room " : "in the lull ") : db <= -80 ? "" : "background ") +
        (db <= -80 ? "silence" : db.toFixed(1)),
      x,
      top + h - 5,
      col,
    );
  }
  c.textAlign = "left";
}

const loudest = (s: Strip): number =>
  Math.max(
    s.high.reduce((a, v) => Math.max(a, v), 0),
    -s.low.reduce((a, v) => Math.min(a, v), 0),
  );
