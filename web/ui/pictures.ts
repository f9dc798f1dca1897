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

  /** The sheet that a frame is on; undefined while it is on its way. The one after it is fetched too. */
  private sheet(source: string, n: number, ahead: boolean): HTMLImageElement | undefined {
    const key = `/media/${source}/pictures/${this.rate.num}/${this.rate.den}/${n}.jpg`;
    let image = this.sheets.get(key);
    if (!image) {
      image = new Image();
      image.onload = () => this.arrived();
      image.src = key;
      this.sheets.set(key, image);
      if (this.sheets.size > 80) this.sheets.delete(this.sheets.keys().next().value!);
    } else if (ahead) { // used last, thrown away last
      this.sheets.delete(key);
      this.sheets.set(key, image);
    }
    return image.complete && image.naturalWidth > 0 ? image : undefined;
  }

  /** Sees to it that a frame of a recording with so many is here; false while it is on its way. */
  fetch(source: string, frame: number, of: number): boolean {
    const n = Math.floor(frame / this.size.columns ** 2);
    const here = !!this.sheet(source, n, true);
    if (here && (n + 1) * this.size.columns ** 2 < of) this.sheet(source, n + 1, false);
    return here;
  }

  /** Draws a frame of a recording into a rectangle; false if it is still on its way. */
  draw(c: CanvasRenderingContext2D, source: string, frame: number, x: number, y: number, width: number, height: number): boolean {
    const per = this.size.columns ** 2, n = Math.floor(frame / per), at = frame - n * per;
    const image = this.sheet(source, n, false);
    if (!image) return false;
    const { width: w, height: h, columns } = this.size;
    c.drawImage(image, (at % columns) * w, Math.floor(at / columns) * h, w, h, x, y, width, height);
    return true;
  }
}
