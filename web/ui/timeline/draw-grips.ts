// The grips that appear under the pointer, and the handle beyond an edge.

import { threadOf } from "../drawing/paint.ts";
import type { Lull, Placed } from "../model/scene.ts";
import { handles, lullSpan } from "../model/scene.ts";
import { toX } from "../model/time.ts";
import type { Canvas } from "./canvas.ts";
import type { Hit } from "./rows.ts";
import { lullDepth } from "./rows.ts";

/** The unused recording beyond an edge, hatched. */
export function selvedge(
  g: Canvas,
  p: Placed,
  edge: "head" | "tail",
  top: number,
  height: number,
  thread: string,
): void {
  const { c } = g;
  const { head, tail } = handles(g.scene, g.rate, p);
  const [low, high] = [p.clip.from - head, p.clip.to + tail];
  const x0 = Math.max(-10, toX(g.view, edge === "head" ? low : p.clip.to));
  const x1 = Math.min(g.width + 10, toX(g.view, edge === "head" ? p.clip.from : high));
  if (x1 - x0 < 1) return;
  c.save();
  c.beginPath();
  c.rect(x0, top, x1 - x0, height);
  c.clip();
  c.globalAlpha = 0.45;
  c.strokeStyle = thread;
  c.lineWidth = 1;
  c.beginPath();
  for (let x = x0 - height; x < x1; x += 6) {
    c.moveTo(x, top + height);
    c.lineTo(x + height, top);
  }
  c.stroke();
  c.restore();
}

/** The grips under the pointer. */
export function drawGrips(g: Canvas, h: Hit): void {
  const { c, col, view } = g,
    { row } = h,
    x0 = toX(view, h.clip.from),
    x1 = toX(view, h.clip.to);
  const fadeAt = (edge: "head" | "tail") =>
    Math.max(13, ((edge === "head" ? h.clip.fade_in : h.clip.fade_out)?.length ?? 0) / view.perPixel);
  const dot = (edge: "head" | "tail", r: number) => {
    c.beginPath();
    c.arc(edge === "head" ? x0 + fadeAt("head") : x1 - fadeAt("tail"), row.top + 5, r, 0, 7);
    c.fill();
  };
  if (h.lull) return lullGrips(g, h, h.lull);
  if (/point|line|gain|bend/.test(h.grip)) return; // its line is drawn already
  if (h.grip === "body" || h.grip === "fade") {
    if (row.track.kind !== "sound" || row.folded || x1 - x0 <= 50) return;
    c.fillStyle = h.grip === "fade" ? col.madder : col.ink;
    if (h.grip === "fade") return dot(h.edge!, 4);
    dot("head", 3);
    return dot("tail", 3);
  }
  selvedge(
    g,
    { track: row.track, clip: h.clip, index: h.index },
    h.edge!,
    row.top,
    row.height,
    col[threadOf(row.track)] ?? col.dialogue,
  );
  const x = h.edge === "head" ? x0 : x1,
    side = h.edge === "head" ? 1 : -1;
  const other = h.edge === "head" ? row.track.clips[h.index - 1] : row.track.clips[h.index + 1];
  const touching = other && (h.edge === "head" ? other.to === h.clip.from : other.from === h.clip.to);
  const parts: [Hit["grip"], number][] = touching
    ? [
        ["trim_close", 1 / 6],
        ["roll", 1 / 2],
        ["trim_gap", 5 / 6],
      ]
    : [
        ["trim_close", 1 / 4],
        ["trim_gap", 3 / 4],
      ];
  for (const [grip, at] of parts) {
    const y = row.top + row.height * at,
      on = grip === h.grip;
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

/** A bar at each edge of a lull, a dot where each of its fades ends. */
function lullGrips(g: Canvas, h: Hit, l: Lull): void {
  const { c, col, view } = g,
    s = lullSpan(h.clip, l),
    y = h.row.top + lullDepth(h.row, l);
  for (const [edge, at, fade] of [
    ["head", s.from, l.fade_in],
    ["tail", s.to, -l.fade_out],
  ] as const) {
    c.fillStyle = h.grip === "lull" && h.edge === edge ? col.madder : col.ink;
    c.fillRect(toX(view, at) - 1.5, h.row.top + 1, 3, 12);
    c.fillStyle = h.grip === "lull_fade" && h.edge === edge ? col.madder : col.ink;
    c.beginPath();
    c.arc(toX(view, at + fade), y, 3, 0, 7);
    c.fill();
  }
}
