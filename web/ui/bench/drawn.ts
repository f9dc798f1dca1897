// What the bench draws, and what it is drawn for.
import type { BenchView, Seam } from "../model/seam.ts";
import type { Rate, View } from "../model/time.ts";

export interface Stand {
  sceneID: string;
  sampleRate: number;
  rate: Rate;
  thread(): string;
  playhead(): number;
  setBlend(before: number, after: number): void;
  setLull(from: number, to: number): void;
  rollTo(sample: number, alone: boolean): void; // alone: the picture's cut stays, so that sound leads or trails
  loaded(v: BenchView): void;
  failed(e: unknown): void;
}

/** What is drawn, and where. */
export interface Drawn {
  readonly canvas: HTMLCanvasElement;
  readonly stand: Stand;
  readonly seam?: Seam;
  readonly data?: BenchView;
  readonly view: View;
  readonly marked?: number;
  width: number;
  louder: number; // all strips are drawn so that the loudest sample in view fills its strip
  readonly repaint: () => void;
  halves(): { before: number; after: number; cut: number };
}

/** Text on a piece of the strip's own ground, so that no wave runs through it. */
export function plate(
  c: CanvasRenderingContext2D,
  text: string,
  x: number,
  y: number,
  col: Record<string, string>,
): void {
  const w = c.measureText(text).width,
    left = c.textAlign === "right" ? x - w : c.textAlign === "center" ? x - w / 2 : x;
  const ink = c.fillStyle;
  c.globalAlpha = 0.85;
  c.fillStyle = col.surface;
  c.fillRect(left - 3, y - 11, w + 6, 14);
  c.globalAlpha = 1;
  c.fillStyle = ink;
  c.fillText(text, x, y);
}
