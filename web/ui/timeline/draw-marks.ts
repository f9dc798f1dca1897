// What is drawn upon a clip: its fades, lulls, the weave of tone, how far it is out of sync.

import { fitted, TEXT } from "../drawing/paint.ts";
import { usualFade } from "../model/curves.ts";
import { depthOf, levelAt } from "../model/level.ts";
import type { Clip, Lull } from "../model/scene.ts";
import { lullSpan } from "../model/scene.ts";
import { toX } from "../model/time.ts";
import type { LevelPoint } from "../wire/scene.ts";
import type { Canvas } from "./canvas.ts";
import { offsetWords } from "./canvas.ts";
import type { Row } from "./rows.ts";
import { fadeY, lullDepth } from "./rows.ts";

export function badge(g: Canvas, samples: number, a: number, z: number, top: number): void {
  const { c } = g,
    words = offsetWords(samples, g.rate, g.scene.sample_rate);
  c.font = `600 11px ${TEXT}`;
  const text = fitted(c, words, z - a - 8),
    w = c.measureText(text).width;
  c.fillStyle = g.col.madder;
  c.fillRect(a + 2, top + 2, w + 6, 14);
  c.fillStyle = g.col.surface;
  c.fillText(text, a + 5, top + 13);
}

/** Built tone is woven: threads one over the other. */
export function woven(g: Canvas, a: number, z: number, top: number, height: number, thread: string): void {
  const { c } = g,
    step = 7;
  c.save();
  c.beginPath();
  c.rect(a, top, z - a, height);
  c.clip();
  c.strokeStyle = thread;
  c.globalAlpha *= 0.3;
  c.lineWidth = 1;
  c.beginPath();
  const first = Math.floor((a - height) / step) * step;
  for (let x = first, n = 0; x < z + height; x += step, n++) {
    c.moveTo(x, top + height);
    c.lineTo(x + height, top);
    for (let y = top + (n % 2) * step; y < top + height; y += 2 * step) {
      // over and under
      c.moveTo(x, y);
      c.lineTo(x + step, y + step);
    }
  }
  c.stroke();
  c.restore();
}

/** Where a line is drawn: the pixels of a clip, and by how many samples its moments lie later there. */
interface Over {
  moved: number;
  a: number;
  z: number;
  top: number;
  height: number;
}

/** Draws a line by its dB, and gives where its points lie. */
function stroked(g: Canvas, line: readonly LevelPoint[], { moved, a, z, top, height }: Over): [number, number][] {
  const { c, view } = g,
    y = (db: number) => top + depthOf(db) * height,
    edge = (x: number) => y(levelAt(line, view.from + x * view.perPixel - moved)),
    inside = line.map((p): [number, number] => [toX(view, p.at + moved), y(p.db)]).filter(([x]) => x > a && x < z);
  c.strokeStyle = c.fillStyle = g.col.madder; // as gains are on the bench
  c.lineWidth = 1.25;
  c.beginPath();
  c.moveTo(a, edge(a));
  for (const [x, at] of inside) c.lineTo(x, at);
  c.lineTo(z, edge(z));
  c.stroke();
  return inside;
}

/** A clip's level line with its points, where it lies by its dB; over is by what is shown later than it lies. */
export function levelLine(g: Canvas, clip: Clip, over: Over): void {
  const moved = clip.start - clip.in + over.moved;
  for (const [x, y] of stroked(g, clip.level ?? [], { ...over, moved })) g.c.fillRect(x - 2.5, y - 2.5, 5, 5);
}

/** The gain of a clip without points: the line that a hand takes hold of. */
export function gainLine(g: Canvas, db: number, over: Over): void {
  g.c.globalAlpha *= 0.6;
  stroked(g, [{ at: 0, db }], over);
  g.c.globalAlpha /= 0.6;
}

/** Where the peaks of speech should end, from -12 to -6 dBFS, above and below the middle of a waveform. */
export function peakBand(g: Canvas, a: number, z: number, top: number, height: number, louder: number): void {
  const { c } = g,
    middle = top + height / 2,
    y = (db: number) => Math.min(1, 10 ** (db / 20) * louder) * (height / 2 - 1);
  c.fillStyle = `${g.col.moss}44`;
  for (const side of [-1, 1]) c.fillRect(a, middle + side * y(-12), z - a, side * Math.max(1, y(-6) - y(-12)));
}

/** How a track makes way for words, over a clip of it: dashed, as it is not the clip's own. */
export function duckLine(g: Canvas, line: LevelPoint[], over: Over): void {
  g.c.setLineDash([5, 3]);
  stroked(g, line, over);
  g.c.setLineDash([]);
}

/** A lull is a notch with sloped shoulders; one that is switched off is only its outline. */
export function notch(
  g: Canvas,
  clip: Clip,
  l: Lull,
  shift: number,
  a: number,
  z: number,
  row: Row,
  top: number,
  thread: string,
): void {
  const { c, view } = g,
    s = lullSpan(clip, l),
    p = g.drag?.pull,
    mine = p?.lull?.id === l.id && p.at.clip.id === clip.id ? g.drag! : undefined;
  let { from, to } = s,
    [down, up] = [l.fade_in, l.fade_out];
  if (mine?.pull.doing === "lull") {
    const by = mine.out.delta;
    if (mine.pull.edge !== "tail") from += by;
    if (mine.pull.edge !== "head") to += by;
  } else if (mine) mine.pull.edge === "head" ? (down += mine.out.delta) : (up += mine.out.delta);
  const x = (at: number) => toX(view, at + shift),
    x0 = x(from),
    x1 = x(to);
  if (x1 < a || x0 > z) return;
  const y = top + lullDepth(row, l),
    x2 = Math.min(x1, x(from + down)),
    x3 = Math.max(x2, x(to - up));
  c.save();
  c.beginPath();
  c.rect(a, top - 1, z - a, row.height + 2);
  c.clip();
  c.beginPath();
  c.moveTo(x0, top - 1);
  c.lineTo(x2, y);
  c.lineTo(x3, y);
  c.lineTo(x1, top - 1);
  if (!l.off) {
    c.fillStyle = g.col.page;
    c.fill();
  }
  c.strokeStyle = thread;
  c.lineWidth = 1.3;
  c.setLineDash(l.off ? [3, 3] : []);
  c.stroke();
  c.restore();
}

/** A line over a fade, from the corner it starts in. */
export function fadeLine(
  g: Canvas,
  clip: Clip,
  edge: "head" | "tail",
  x0: number,
  x1: number,
  top: number,
  height: number,
  thread: string,
): void {
  let n = (edge === "head" ? clip.fade_in?.length : clip.fade_out?.length) ?? 0;
  const d = g.drag;
  if (d?.pull.doing === "fade" && d.pull.edge === edge && d.pull.at.clip.id === clip.id) n += d.out.delta;
  if (n <= 0) return;
  const w = n / g.view.perPixel,
    { c } = g,
    bent = d?.pull.doing === "bend" && d.pull.edge === edge && d.pull.at.clip.id === clip.id ? d.out.curve : undefined,
    curve = bent ?? (edge === "head" ? clip.fade_in : clip.fade_out)?.curve ?? usualFade;
  c.strokeStyle = thread;
  c.lineWidth = 1.2;
  c.beginPath();
  for (let k = 0; k <= 16; k++) {
    const u = k / 16,
      y = fadeY({ top, height }, curve, u);
    c.lineTo(edge === "head" ? x0 + u * w : x1 - u * w, y);
  }
  c.stroke();
}

/** A lull's gain at a sample of its source, as the rendered sound has it. */
export function lullGain(l: Lull, at: number): number {
  if (at < l.from || at >= l.to) return 1;
  const x = Math.min(1, (at - l.from) / Math.max(1, l.fade_in), (l.to - at) / Math.max(1, l.fade_out)),
    floor = l.depth_db ? 10 ** (-l.depth_db / 20) : 0,
    c = Math.cos((Math.PI / 2) * x);
  return Math.sqrt(floor * floor + (1 - floor * floor) * c * c);
}
