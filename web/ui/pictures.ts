// Picture strips: every frame of a recording, small, in sheets.
import type { Rate } from "./time.ts";

export interface Sheets { width: number; height: number; columns: number }

export class Pictures {
  private sheets = new Map<string, HTMLImageElement>();
  private rate: Rate;
  private size: Sheets;
  private arrived: () => void;

  constructor(rate: Rate, size: Sheets, arrived: () => void) {
    [this.rate, this.size, this.arrived] = [rate, size, arrived];
  }

  /** Draws a frame of a recording into a rectangle; false if it is still on its way. */
  draw(c: CanvasRenderingContext2D, source: string, frame: number, x: number, y: number, width: number, height: number): boolean {
    const per = this.size.columns ** 2;
    const sheet = Math.floor(frame / per), at = frame - sheet * per;
    const key = `/media/${source}/pictures/${this.rate.num}/${this.rate.den}/${sheet}.jpg`;
    let image = this.sheets.get(key);
    if (!image) {
      image = new Image();
      image.onload = () => this.arrived();
      image.src = key;
      this.sheets.set(key, image);
      if (this.sheets.size > 60) this.sheets.delete(this.sheets.keys().next().value!);
    }
    if (!image.complete || image.naturalWidth === 0) return false;
    const { width: w, height: h, columns } = this.size;
    c.drawImage(image, (at % columns) * w, Math.floor(at / columns) * h, w, h, x, y, width, height);
    return true;
  }
}
