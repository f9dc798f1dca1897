// Picture strips: every frame of a recording, small, in sheets.
import type { Rate } from "../model/time.ts";

export interface Sheets {
  width: number;
  height: number;
  columns: number;
}

const KEPT = 60,
  KEPT_SMALL = 4000,
  SMALL = 64; // sheets, small pictures, and the height of these

export class Pictures {
  private sheets = new Map<string, HTMLImageElement>();
  arrivals = 0; // sheets that have come: what was drawn with fewer may lack some
  private small = new Map<string, HTMLCanvasElement>();
  private wanted = new Map<string, Set<string>>(); // small pictures to be made of a sheet when it comes
  /** Which frame of which recording is seen: clips may show one that runs at another speed. */
  recorded = (source: string, frame: number): [string, number] => [source, frame];
  private rate: Rate;
  private size: Sheets;
  private arrived: () => void;

  constructor(rate: Rate, size: Sheets, arrived: () => void) {
    [this.rate, this.size, this.arrived] = [rate, size, arrived];
  }

  private key(source: string, n: number): string {
    return `/media/${source}/pictures/${this.rate.num}/${this.rate.den}/${n}.jpg`;
  }

  /** A sheet of a recording; undefined while it is on its way. What is used last is thrown away last. */
  private sheet(source: string, n: number): HTMLImageElement | undefined {
    const key = this.key(source, n);
    let image = this.sheets.get(key);
    this.sheets.delete(key);
    if (!image) {
      const fresh = (image = new Image());
      fresh.onload = () => {
        for (const frame of this.wanted.get(key) ?? []) this.makeSmall(source, Number(frame), fresh);
        this.wanted.delete(key);
        this.arrivals++;
        this.arrived();
      };
      fresh.src = key;
      if (this.sheets.size >= KEPT) this.sheets.delete(this.sheets.keys().next().value!);
    }
    this.sheets.set(key, image);
    return image.complete && image.naturalWidth > 0 ? image : undefined;
  }

  private per(): number {
    return this.size.columns ** 2;
  }

  /** Sees to it that a frame of a recording with so many is here, and those after it; false while it is on its way. */
  fetch(source: string, frame: number, of: number): boolean {
    [source, frame] = this.recorded(source, frame);
    const n = Math.floor(frame / this.per()),
      here = !!this.sheet(source, n);
    if (here && (n + 1) * this.per() < of) this.sheet(source, n + 1);
    return here;
  }

  /** Draws a frame of a recording into a rectangle; false if it is still on its way. */
  draw(
    c: CanvasRenderingContext2D,
    source: string,
    frame: number,
    x: number,
    y: number,
    width: number,
    height: number,
  ): boolean {
    [source, frame] = this.recorded(source, frame);
    const image = this.sheet(source, Math.floor(frame / this.per()));
    if (!image) return false;
    this.copy(c, image, frame, x, y, width, height);
    return true;
  }

  private copy(
    c: CanvasRenderingContext2D,
    image: HTMLImageElement,
    frame: number,
    x: number,
    y: number,
    width: number,
    height: number,
  ): void {
    const { width: w, height: h, columns } = this.size,
      at = frame % this.per();
    c.drawImage(image, (at % columns) * w, Math.floor(at / columns) * h, w, h, x, y, width, height);
  }

  /**
   * Draws a frame small. Small pictures are kept when their sheets are not, as a timeline shows frames of very many.
   */
  drawSmall(
    c: CanvasRenderingContext2D,
    source: string,
    frame: number,
    x: number,
    y: number,
    width: number,
    height: number,
  ): boolean {
    [source, frame] = this.recorded(source, frame);
    let small = this.small.get(`${source}/${frame}`);
    if (!small) {
      const n = Math.floor(frame / this.per()),
        key = this.key(source, n),
        waiting = this.wanted.get(key);
      if (waiting) {
        waiting.add(String(frame));
        return false;
      }
      const image = this.sheet(source, n);
      if (!image) {
        this.wanted.set(key, new Set([String(frame)]));
        return false;
      }
      small = this.makeSmall(source, frame, image);
    }
    c.drawImage(small, x, y, width, height);
    return true;
  }

  private makeSmall(source: string, frame: number, image: HTMLImageElement): HTMLCanvasElement {
    const small = document.createElement("canvas");
    [small.width, small.height] = [Math.round((SMALL * this.size.width) / this.size.height), SMALL];
    this.copy(small.getContext("2d")!, image, frame, 0, 0, small.width, small.height);
    this.small.set(`${source}/${frame}`, small);
    if (this.small.size > KEPT_SMALL) this.small.delete(this.small.keys().next().value!);
    return small;
  }
}
