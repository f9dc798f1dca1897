// What is heard in a recording, drawn under its waveform: words as bars, breaths as low ones, other sounds hatched,
// pauses as a line; what somebody corrected is underlined. And the background as a line through the waveform.

import { HEARD_WORDS } from "../model/heard.ts";
import type { HeardPart } from "../wire/web.ts";
import { type Colours, FIGURES, fitted, TEXT } from "./paint.ts";

/** Where a lane of parts lies, in pixels, and which x a sample of the recording has. */
export interface Lane {
  x(sample: number): number;
  left: number;
  right: number;
  top: number;
  height: number;
}

export function drawHeard(c: CanvasRenderingContext2D, parts: HeardPart[], lane: Lane, col: Colours): void {
  const { x, left, right, top, height } = lane,
    foot = top + height;
  c.fillStyle = col.surface;
  c.fillRect(left, top, right - left, height);
  for (const p of parts) {
    const a = Math.max(left, x(p.from)),
      z = Math.min(right, x(p.to));
    if (z <= a) continue;
    c.globalAlpha = 0.35 + 0.65 * p.sure;
    part(c, p.kind, a, Math.max(1, z - a - (z - a > 3 ? 1 : 0)), top, height, col);
    c.globalAlpha = 1;
    if (p.corrected) {
      c.fillStyle = col.madder;
      c.fillRect(a, foot - 2, z - a, 2);
    }
    if (z - a < 44 || height < 10) continue;
    c.fillStyle = p.kind === "word" ? col.surface : col.ink;
    c.font = `10px ${TEXT}`;
    c.fillText(fitted(c, HEARD_WORDS[p.kind] ?? p.kind, z - a - 8), a + 4, foot - 3);
  }
}

function part(
  c: CanvasRenderingContext2D,
  kind: string,
  a: number,
  width: number,
  top: number,
  height: number,
  col: Colours,
): void {
  c.fillStyle = c.strokeStyle = kind === "word" ? col.dialogue : kind === "breath" ? col.moss : col.effects;
  if (kind === "word") c.fillRect(a, top, width, height);
  else if (kind === "breath") c.fillRect(a, top + height / 2, width, height / 2);
  else if (kind === "pause") {
    c.fillStyle = col.line;
    c.fillRect(a, top + height - 2, width, 1);
  } else {
    c.save();
    c.beginPath();
    c.rect(a, top, width, height);
    c.clip();
    c.lineWidth = 1;
    c.beginPath();
    for (let k = a - height - (a % 5); k < a + width; k += 5) {
      c.moveTo(k, top + height);
      c.lineTo(k + height, top);
    }
    c.stroke();
    c.restore();
  }
}

/** The background of a recording through its waveform, whose full scale reaches half of height at gain 1. */
export function drawBackground(
  c: CanvasRenderingContext2D,
  { db, words, gain }: { db: number; words: string; gain: number },
  lane: Lane,
  col: Colours,
): void {
  const middle = lane.top + lane.height / 2,
    // an RMS level reaches about 12 dB further in its peaks
    reach = Math.max(1, Math.min(1, gain * 10 ** ((db + 12) / 20)) * (lane.height / 2));
  c.save();
  c.strokeStyle = col.madder;
  c.setLineDash([4, 3]);
  c.lineWidth = 1;
  c.beginPath();
  for (const y of [middle - reach, middle + reach]) {
    c.moveTo(lane.left, y);
    c.lineTo(lane.right, y);
  }
  c.stroke();
  c.restore();
  if (!words) return;
  c.font = `11px ${FIGURES}`;
  c.fillStyle = col.madder;
  c.fillText(words, lane.left + 6, lane.top + 12);
}
