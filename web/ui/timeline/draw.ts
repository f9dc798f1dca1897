// How tracks are drawn: clips as strips of cloth, blends as stitches, grips, handles as selvedge. Nothing here reacts
// to a hand.

import { fitted, stitches, TEXT, threadOf } from "../drawing/paint.ts";
import { arrivals, drawWave } from "../drawing/waves.ts";
import { gains, rise } from "../model/curves.ts";
import { levelAt } from "../model/level.ts";
import { blendAt, type Clip, clipAfter, hasClip, reachOf, type Track } from "../model/scene.ts";
import { takeName } from "../model/takes.ts";
import { frameOf, toX } from "../model/time.ts";
import type { Canvas } from "./canvas.ts";
import { selvedge } from "./draw-grips.ts";
import { badge, duckLine, fadeLine, gainLine, levelLine, lullGain, notch, peakBand, woven } from "./draw-marks.ts";

import type { Row } from "./rows.ts";

// Waves are drawn so that -6 dBFS, as loud as speech should get, reaches the edge of the cloth.
const LOUDER = 2;

/**
 * Draws a track. Rows that are as they were are copied from what was drawn of them last; where all that follows a
 * drag moves, in two pieces.
 */
export function drawRow(g: Canvas, row: Row, rows: Row[]): void {
  const d = g.drag,
    t = row.track;
  if ((d && reshaped(d, t)) || g.passing(t)) return paintRow(g, row, rows);
  const kept = keptRow(g, row, rows),
    copy = (from: number, to: number, at: number) => {
      const ratio = kept.width / g.width;
      if (to > from)
        g.c.drawImage(
          kept,
          Math.round(from * ratio),
          0,
          Math.round((to - from) * ratio),
          kept.height,
          at,
          row.top - 1,
          to - from,
          row.height + 2,
        );
    };
  const after = d?.outline.after,
    first = after && !t.stays && !t.locked ? t.clips[clipFrom(t, after.at)] : undefined;
  if (!after || !first) return copy(0, g.width, 0);
  const from = Math.max(0, Math.min(g.width, Math.round(toX(g.view, first.from)))),
    by = Math.round(after.by / g.view.perPixel);
  copy(0, Math.min(from, from + by), 0);
  copy(from, g.width, from + by);
  if (by >= 0) return;
  g.c.save(); // what comes into view at the right
  g.c.beginPath();
  g.c.rect(g.width + by, row.top - 1, -by, row.height + 2);
  g.c.clip();
  g.c.translate(g.width + by, 0);
  paintRow(
    { ...g, view: { from: g.view.from + (g.width + by) * g.view.perPixel, perPixel: g.view.perPixel }, width: -by },
    row,
    rows,
  );
  g.c.restore();
}

// by the track's id: a track is another object after each edit of it
const drawn = new Map<string, { track: Track; state: string; canvas: HTMLCanvasElement }>();

function keptRow(g: Canvas, row: Row, rows: Row[]): HTMLCanvasElement {
  const ratio = g.c.getTransform().a,
    t = row.track;
  const state = [
    g.view.from,
    g.view.perPixel,
    g.width,
    row.height,
    row.folded,
    g.wave,
    g.band,
    ratio,
    g.col.page,
    g.pictures.arrivals,
    arrivals,
    JSON.stringify(g.ducks[t.id]),
    t.clips
      .filter((c) => g.selected.has(c.id) || c.id in g.offsets)
      .map((c) => `${c.id}${g.selected.has(c.id)}${g.offsets[c.id]}`)
      .join(),
  ].join("|");
  const kept = drawn.get(t.id),
    canvas = kept?.canvas ?? document.createElement("canvas");
  if (kept?.track === t && kept.state === state) return canvas;
  const [width, height] = [Math.max(1, Math.round(g.width * ratio)), Math.max(1, Math.round((row.height + 2) * ratio))];
  if (canvas.width !== width || canvas.height !== height) [canvas.width, canvas.height] = [width, height];
  const c = canvas.getContext("2d", { alpha: false })!;
  c.setTransform(ratio, 0, 0, ratio, 0, 0);
  c.fillStyle = g.col.page;
  c.fillRect(0, 0, g.width, row.height + 2);
  paintRow({ ...g, c, drag: undefined }, { ...row, top: 1 }, rows);
  drawn.set(t.id, { track: t, state, canvas });
  return canvas;
}

/** Whether a drag changes clips of a track in more than their place behind it. */
function reshaped(d: NonNullable<Canvas["drag"]>, t: Track): boolean {
  return d.pull.at.track === t || d.pull.target === t || [...d.outline.ends.keys()].some((id) => hasClip(t, id));
}

/** The index of the first clip that begins at a moment or after it. */
function clipFrom(t: Track, at: number): number {
  const i = clipAfter(t, at);
  return t.clips[i] && t.clips[i].from < at ? i + 1 : i;
}

const NARROW = 9; // pixels; clips below it are drawn together

function paintRow(g: Canvas, row: Row, rows: Row[]): void {
  const t = row.track,
    last = g.view.from + g.width * g.view.perPixel;
  for (
    let i = Math.max(0, clipAfter(t, g.view.from) - 1);
    i < t.clips.length && t.clips[i].from < last + 10 * g.view.perPixel;
    i++
  ) {
    const end = plainRun(g, t, i);
    if (end > i) run(g, row, i, end);
    else cloth(g, row, i, rows);
    i = Math.max(i, end - 1);
  }
  for (let i = Math.max(1, clipAfter(t, g.view.from)); i < t.clips.length && t.clips[i - 1].from < last; i++) {
    const b = blendAt(t, t.clips[i - 1].id, t.clips[i].id);
    if (!b) continue;
    const { before, after } = reachOf(g.scene, g.rate, t, b, t.clips[i].from);
    blend(g, row, t.clips[i].from, before, after);
  }
  const over = g.drag?.pull.at.track === t ? g.drag.out.overlap : undefined;
  if (over) blend(g, row, over.from, 0, over.to - over.from);
}

/** The end of a run of narrow clips from i on that touch and have nothing of their own to show. */
function plainRun(g: Canvas, t: Track, i: number): number {
  if (t.mute) return i;
  const own = (c: Clip) =>
    c.to - c.from > NARROW * g.view.perPixel ||
    c.muted ||
    g.selected.has(c.id) ||
    c.id in g.offsets ||
    g.drag?.outline.ends.has(c.id);
  const after = g.drag?.outline.after,
    shifted = (c: Clip) => !!after && c.from >= after.at;
  let k = i;
  while (
    k < t.clips.length &&
    !own(t.clips[k]) &&
    (k === i || (t.clips[k].from === t.clips[k - 1].to && shifted(t.clips[k]) === shifted(t.clips[i])))
  )
    k++;
  return k;
}

function run(g: Canvas, row: Row, i: number, end: number): void {
  const { c, col, view } = g,
    t = row.track,
    thread = col[threadOf(t)] ?? col.dialogue,
    after = g.drag?.outline.after;
  const by = after && t.clips[i].from >= after.at && !t.stays && !t.locked ? after.by : 0,
    x = (at: number) => toX(view, at + by);
  const a = Math.max(0, x(t.clips[i].from)),
    z = Math.min(g.width, x(t.clips[end - 1].to));
  if (z <= a) return;
  c.fillStyle = col.surface;
  c.fillRect(a, row.top, z - a, row.height);
  c.fillStyle = thread + "2E";
  c.fillRect(a, row.top, z - a, row.height);
  for (let k = i; k < end; k++) {
    const clip = t.clips[k],
      x0 = x(clip.from),
      x1 = x(clip.to);
    if (x1 < 0 || x0 > g.width) continue;
    if (t.kind === "sound" && !row.folded && x1 - x0 > 1)
      wave(g, t, k, by, 0, Math.max(0, x0), Math.min(g.width, x1), row.top + 2, row.height - 15, thread);
    c.fillStyle = thread;
    c.fillRect(Math.round(x0), row.top, 1, row.height);
  }
  c.fillStyle = thread;
  c.fillRect(Math.round(z) - 1, row.top, 1, row.height);
  c.fillRect(a, row.top, z - a, 1);
  c.fillRect(a, row.top + row.height - 1, z - a, 1);
}

export function blend(g: Canvas, row: Row, cut: number, before: number, after: number): void {
  const x0 = toX(g.view, cut - before),
    x1 = toX(g.view, cut + after);
  g.c.fillStyle = g.col.tone + "30";
  g.c.fillRect(x0, row.top, x1 - x0, row.height);
  stitches(g.c, x0, row.top, row.top + row.height, g.col.madder);
  if (x1 - x0 > 5) stitches(g.c, x1, row.top, row.top + row.height, g.col.madder);
}

function cloth(g: Canvas, row: Row, i: number, rows: Row[]): void {
  const { c, col, view } = g,
    t = row.track,
    clip = t.clips[i],
    thread = col[threadOf(t)] ?? col.dialogue;
  const d = g.drag,
    mine = d?.pull.at.clip.id === clip.id,
    selected = g.selected.has(clip.id);
  let from = clip.from,
    to = clip.to,
    top = row.top,
    height = row.height,
    alpha = clip.muted || t.mute ? 0.35 : 1,
    shows = 0;
  const ends = d?.outline.ends.get(clip.id),
    after = d?.outline.after;
  if (d && ends) {
    [from, to, shows] = [from + ends.head, to + ends.tail, ends.shows];
    if (ends.head && ends.head === ends.tail) alpha *= 0.8;
    const target = mine && d.pull.target ? rows.find((r) => r.track === d.pull.target) : undefined;
    if (target) [top, height] = [target.top, target.height];
  } else if (after && clip.from >= after.at && !t.stays && !t.locked) [from, to] = [from + after.by, to + after.by];
  const x0 = toX(view, from),
    x1 = toX(view, to);
  if (x1 < 0 || x0 > g.width) return;
  const a = Math.max(0, x0),
    z = Math.min(g.width, x1);
  c.globalAlpha = alpha;
  c.fillStyle = col.surface;
  c.fillRect(a, top, z - a, height);
  c.fillStyle = thread + (selected ? "55" : "2E");
  c.fillRect(a, top, z - a, height);
  if (x1 - x0 > 2 && !row.folded) {
    if (t.kind === "picture") stills(g, clip, from, to, shows, top, height);
    else {
      if (g.band && t.purpose === "dialogue") peakBand(g, a, z, top + 2, height - 15, LOUDER * g.wave);
      wave(g, t, i, from - clip.from, shows, a, z, top + 2, height - 15, thread);
    }
    if (x1 - x0 > 26) {
      c.fillStyle = col.ink;
      c.font = `11px ${TEXT}`;
      c.fillText(fitted(c, takeName(clip), z - a - 10), a + 5, top + height - 4);
    }
    if (g.scene.sources[clip.source]?.tone) woven(g, a, z, top, height, thread);
    for (const l of clip.lulls ?? []) notch(g, clip, l, from - clip.from, a, z, row, top, thread);
    const pulled = g.drag?.pull.at.clip.id === clip.id ? g.drag.out.line : undefined,
      lined = pulled ? { ...clip, level: pulled } : clip,
      over = { moved: from - clip.from, a, z, top: top + 2, height: height - 15 };
    if (g.ducks[t.id]) duckLine(g, g.ducks[t.id], over);
    if (lined.level?.length) levelLine(g, lined, over);
    else if (selected && t.kind === "sound")
      gainLine(g, (g.drag?.pull.at.clip.id === clip.id ? g.drag.out.gain : undefined) ?? clip.gain_db ?? 0, over);
    for (const edge of ["head", "tail"] as const) fadeLine(g, clip, edge, x0, x1, top, height, thread);
    if (clip.id in g.offsets && x1 - x0 > 20) badge(g, g.offsets[clip.id], a, z, top);
  }
  c.strokeStyle = selected ? col.ink : thread;
  c.lineWidth = selected ? 2 : 1;
  c.strokeRect(x0 + 0.5, top + 0.5, Math.max(1, x1 - x0 - 1), height - 1);
  c.globalAlpha = 1;
  if (d && mine && d.pull.edge && d.pull.doing !== "fade")
    selvedge(g, d.pull.at, d.pull.edge, row.top, row.height, thread);
}

function stills(g: Canvas, clip: Clip, from: number, to: number, shows: number, top: number, height: number): void {
  const { c, rate, pictures, view } = g,
    sr = g.scene.sample_rate,
    src = g.scene.sources[clip.source];
  if (!src?.frames || height < 24) return;
  const h = height - 17,
    w = (h * 16) / 9,
    x0 = toX(view, from),
    x1 = toX(view, to),
    into = clip.in + Math.sign(shows) * frameOf(Math.abs(shows), rate, sr);
  c.save();
  c.beginPath();
  c.rect(x0, top, x1 - x0, height);
  c.clip();
  for (let k = Math.max(0, Math.floor(-x0 / (w + 4)) - 1); ; k++) {
    const x = x0 + 5 + k * (w + 4);
    if (x > Math.min(x1, g.width)) break;
    const frame = into + frameOf(Math.round(k * (w + 4) * view.perPixel), rate, sr);
    if (frame >= 0 && frame < src.frames) pictures.drawSmall(c, clip.source, frame, x, top + 3, w, h);
  }
  c.restore();
}

export function wave(
  g: Canvas,
  t: Track,
  i: number,
  shift: number,
  shows: number,
  a: number,
  z: number,
  top: number,
  height: number,
  thread: string,
): void {
  const clip = t.clips[i],
    prev = t.clips[i - 1],
    next = t.clips[i + 1],
    { view } = g;
  const head = prev && blendAt(t, prev.id, clip.id),
    tail = next && blendAt(t, clip.id, next.id);
  const loud = 10 ** (((clip.gain_db ?? 0) + (t.gain_db ?? 0)) / 20) * LOUDER * g.wave;
  const lulls = clip.lulls ?? [],
    line = clip.level?.length ? clip.level : undefined,
    duck = g.ducks[t.id],
    plain =
      !line && !duck && !head && !tail && !clip.fade_in?.length && !clip.fade_out?.length && !lulls.some((l) => !l.off);
  const gain = plain
    ? () => loud
    : (sample: number) => {
        const s = sample - shift;
        let v = loud;
        if (head && s < clip.from + head.after)
          v *= gains(head, (s - clip.from + head.before) / (head.before + head.after))[1];
        else if (clip.fade_in?.length && s < clip.from + clip.fade_in.length)
          v *= rise(clip.fade_in.curve, (s - clip.from) / clip.fade_in.length);
        if (tail && s > clip.to - tail.before)
          v *= gains(tail, (s - clip.to + tail.before) / (tail.before + tail.after))[0];
        else if (clip.fade_out?.length && s > clip.to - clip.fade_out.length)
          v *= rise(clip.fade_out.curve, (clip.to - s) / clip.fade_out.length);
        for (const l of lulls) if (!l.off) v *= lullGain(l, s - clip.start + clip.in);
        if (line) v *= 10 ** (levelAt(line, s - clip.start + clip.in) / 20);
        if (duck) v *= 10 ** (levelAt(duck, s) / 20);
        return v;
      };
  if (head) a = Math.max(0, a - head.before / view.perPixel);
  if (tail) z = Math.min(g.width, z + tail.after / view.perPixel);
  drawWave(
    g.c,
    { source: clip.source, offset: clip.in - clip.start - shift + shows, gain, colour: thread },
    view.from,
    view.perPixel,
    a,
    z,
    top,
    height,
  );
}
