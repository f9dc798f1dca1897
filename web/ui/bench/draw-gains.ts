// The gain curves over the strips of the bench, the ribbon of the summed level, and the words at their sides.

import { FIGURES, fitted, TEXT } from "../drawing/paint.ts";
import type { BenchView, Seam } from "../model/seam.ts";
import { canBlend } from "../model/seam.ts";
import { frames, toX } from "../model/time.ts";
import { type Drawn, plate } from "./drawn.ts";

export function gains(
  b: Drawn,
  c: CanvasRenderingContext2D,
  d: BenchView,
  tops: number[],
  h: number,
  b0: number,
  b1: number,
  xc: number,
  col: Record<string, string>,
): void {
  const s = b.seam!;
  c.strokeStyle = col.madder;
  c.lineWidth = 2;
  const old = [toX(b.view, canBlend(s) ? s.at - d.before : s.from), toX(b.view, canBlend(s) ? s.at + d.after : s.to)];
  for (const [k, side] of [
    [0, "out"],
    [1, "in"],
  ] as const) {
    if (!(k === 0 ? d.outgoing : d.incoming)) continue;
    const y = (v: number) => tops[k] + h - 4 - (h - 8) * v;
    const [before, after] = s.kind === "lull" ? (k === 0 ? [1, 1] : [0, 0]) : k === 0 ? [1, 0] : [0, 1];
    c.beginPath();
    c.moveTo(0, y(before));
    if (b1 - b0 > 0.5 && d.gains.length) {
      c.lineTo(b0, y(before));
      for (const g of d.gains) {
        const u = (toX(b.view, g.at) - old[0]) / Math.max(1e-9, old[1] - old[0]);
        c.lineTo(b0 + u * (b1 - b0), y(g[side]));
      }
      c.lineTo(b1, y(after));
    } else {
      c.lineTo(xc, y(before));
      c.lineTo(xc, y(after));
    }
    c.lineTo(b.width, y(after));
    c.globalAlpha = 0.9;
    c.stroke();
    c.globalAlpha = 1;
  }
}

export function sumRibbon(
  b: Drawn,
  c: CanvasRenderingContext2D,
  d: BenchView,
  top: number,
  h: number,
  col: Record<string, string>,
): void {
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
  c.lineTo(b.width, mid + 0.5);
  c.stroke();
  c.font = `9px ${FIGURES}`;
  c.textAlign = "right";
  c.fillText("+6", b.width - 4, top + 9);
  c.fillText("-6", b.width - 4, top + h - 2);
  c.textAlign = "left";
  if (!(d.law || d.lull) || !d.gains.length) return;
  const gains = d.gains,
    most = (of: (g: (typeof gains)[0]) => number) =>
      gains.reduce((a, g) => (Math.abs(of(g)) > Math.abs(a) ? of(g) : a), 0);
  const law = most((g) => g.sum_db),
    heard = most((g) => g.heard_db),
    signed = (v: number) => `${v >= 0 ? "+" : ""}${v.toFixed(1)}`;
  const tone = Math.abs(heard) >= 1.5 ? col.madder : col.moss;
  c.save();
  c.beginPath();
  c.rect(x0, top, b.width - x0, h);
  c.clip();
  for (const [of, colour, width, dash] of [
    [(g: (typeof gains)[0]) => g.sum_db, col.soft, 1.5, [4, 3]],
    [(g: (typeof gains)[0]) => g.heard_db, tone, 2, []],
  ] as const) {
    c.strokeStyle = colour;
    c.lineWidth = width;
    c.setLineDash([...dash]);
    c.beginPath();
    for (const g of gains) c.lineTo(toX(b.view, g.at), mid - scale * Math.max(-6, Math.min(6, of(g))));
    c.stroke();
  }
  c.setLineDash([]);
  c.restore();
  c.font = `11px ${FIGURES}`;
  c.fillStyle = tone;
  const at = toX(b.view, gains.at(-1)!.at) + 6,
    text = d.lull
      ? `${signed(heard)} at most, room and tone together`
      : `${signed(heard)} heard, ${signed(law)} by its law`;
  const x = Math.max(x0, Math.min(b.width - 30 - c.measureText(text).width, at));
  plate(c, text, x, mid + 4, col);
}

export function labels(
  b: Drawn,
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
  const f = (n: number) => frames(n, b.stand.rate, b.stand.sampleRate);
  plate(
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
  plate(
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
  plate(c, "Result, the scene as it sounds", 8, tops[2] + 14, col);
  if (b.data) {
    c.textAlign = "right";
    c.font = `10px ${FIGURES}`;
    plate(c, `top of a strip ${(-20 * Math.log10(b.louder)).toFixed(0)} dBFS`, width - 8, tops[2] + 13, col);
    c.textAlign = "left";
  }
  if (!canBlend(s) || before + after <= 0) return;
  // Beside the stitches, in the strip where that side has no voice to cover.
  c.font = `11px ${FIGURES}`;
  c.fillStyle = col.madder;
  c.textAlign = "right";
  plate(c, `${f(before)} before`, Math.max(120, b0 - 8), tops[1] + 15, col);
  c.textAlign = "left";
  plate(c, `${f(after)} after`, Math.min(width - 110, b1 + 8), tops[0] + 15, col);
}
