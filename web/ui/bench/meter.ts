// The level meter: lies on its side, with the band from -12 to -6 dBFS marked.
import { colours, FIGURES, sharpen } from "../drawing/paint.ts";

const LOW = -48;

export class Meter {
  private canvas: HTMLCanvasElement;
  private held: number[] = [];
  private shown: number[] = [];
  private most = -Infinity;

  constructor(canvas: HTMLCanvasElement) {
    this.canvas = canvas;
  }

  /** Whether there is something left to fall. */
  get lit(): boolean {
    return Math.max(...this.held, ...this.shown, LOW) > LOW;
  }

  reset(): void {
    this.most = -Infinity;
  }

  /** Shows peaks, as amplitudes by channel; bars fall by 20 dB a second. */
  show(peaks: number[], seconds: number): void {
    const { c, width } = sharpen(this.canvas),
      col = colours();
    const x = (db: number) => (width * (Math.max(LOW, Math.min(0, db)) - LOW)) / -LOW;
    const channels = Math.max(2, peaks.length);
    c.clearRect(0, 0, width, 34);
    c.fillStyle = col.page;
    c.fillRect(0, 6, width, 14);
    c.fillStyle = col.moss + "55";
    c.fillRect(x(-12), 6, x(-6) - x(-12), 14);
    for (let i = 0; i < channels; i++) {
      const db = 20 * Math.log10(Math.max(1e-6, peaks[Math.min(i, peaks.length - 1)] ?? 0));
      this.shown[i] = Math.max(LOW, db, (this.shown[i] ?? LOW) - 20 * seconds);
      this.held[i] = Math.max(LOW, db, (this.held[i] ?? LOW) - 6 * seconds);
      this.most = Math.max(this.most, db);
      const y = 8 + (i * 6 * 2) / channels;
      c.fillStyle = this.shown[i] > -0.1 ? col.madder : col.ink;
      c.fillRect(0, y, x(this.shown[i]), 8 / channels);
    }
    const top = Math.max(...this.held.slice(0, channels));
    if (top > LOW) {
      c.fillStyle = col.madder;
      c.fillRect(x(top) - 1, 6, 2, 14);
    }
    c.fillStyle = col.soft;
    c.font = `10px ${FIGURES}`;
    for (const db of [-36, -24, -12, -6]) if (x(db) > 72) c.fillText(String(db), x(db) - 9, 31); // beside the most
    c.textAlign = "right";
    c.fillText("0", width, 31);
    c.textAlign = "left";
    if (this.most > -100) c.fillText(`max ${this.most.toFixed(1)}`, 0, 31);
  }
}
