// The waveform of one recording with its marked stretches and the clips of it: below the whole of it, above what is
// looked at; and what a hand does there.
import { drawBackground, drawHeard } from "../drawing/heard.ts";
import { colours, fitted, repainter, sharpen, TEXT } from "../drawing/paint.ts";
import { drawWave } from "../drawing/waves.ts";
import type { Source } from "../model/scene.ts";
import { toSample, toX } from "../model/time.ts";
import { backgroundWords } from "../panels/heard.ts";
import type { HeardView } from "../wire/web.ts";
import { Viewport } from "./viewport.ts";

/** A marked stretch; an end that is not set is that of the recording. */
export interface Mark {
  from?: number;
  to?: number;
}

/** What the waveform shows and changes, in samples. */
export interface Listening {
  source(): Source;
  uses(): { clip: string; name: string; in: number; out: number }[];
  chosen: string; // the clip that was asked for
  moment(): { in: number; out: number } | undefined; // of that clip
  length: number;
  at(): number;
  mark(): Mark;
  onFrame(sample: number): number;
  seek(to: number): void;
  setMark(m: Mark): void;
  painted(): void;
  heard(): HeardView | undefined;
}

// Under the waveform lie what is heard and the clips.
const HEARD = 16,
  CLIPS = 16,
  LOUDER = 2;

export class SourceWave extends Viewport {
  readonly repaint = repainter(() => this.paint());
  readonly canvas: HTMLCanvasElement;
  protected readonly limits = { closest: 0.1, margin: 0 };
  private overview: HTMLCanvasElement;
  private of: Listening;
  private hold?: { what: "from" | "to" | "new"; x: number; start: number; moved: boolean };

  constructor(canvas: HTMLCanvasElement, overview: HTMLCanvasElement, of: Listening) {
    super();
    [this.canvas, this.overview, this.of] = [canvas, overview, of];
    canvas.addEventListener("pointerdown", (e) => this.down(e));
    canvas.addEventListener("pointermove", (e) => this.move(e));
    canvas.addEventListener("pointerup", () => {
      if (this.hold && !this.hold.moved) of.seek(this.hold.start);
      this.hold = undefined;
    });
    canvas.addEventListener("wheel", (e) => this.wheel(e), { passive: false });
    overview.addEventListener("pointerdown", (e) => {
      const sample = (e.offsetX / overview.clientWidth) * of.length;
      this.view.from = Math.max(0, sample - (this.view.perPixel * canvas.clientWidth) / 2);
      of.seek(sample);
    });
    new ResizeObserver(() => this.repaint()).observe(canvas);
  }

  protected extent(): { length: number; playhead: number } {
    return { length: this.of.length, playhead: this.of.at() };
  }

  private down(e: PointerEvent): void {
    if (e.button !== 0) return;
    this.canvas.setPointerCapture(e.pointerId);
    const { from, to } = this.of.mark();
    const near = (n: number | undefined) => n !== undefined && Math.abs(toX(this.view, n) - e.offsetX) < 6;
    const what = near(from) ? "from" : near(to) ? "to" : "new";
    this.hold = { what, x: e.offsetX, start: toSample(this.view, e.offsetX), moved: false };
  }

  private move(e: PointerEvent): void {
    const { hold, of } = this;
    if (!hold) return;
    if (Math.abs(e.offsetX - hold.x) > 3) hold.moved = true;
    if (!hold.moved) return;
    const now = Math.max(0, Math.min(of.length, of.onFrame(toSample(this.view, e.offsetX))));
    const start = of.onFrame(hold.start);
    if (hold.what === "new") of.setMark({ from: Math.min(start, now), to: Math.max(start, now) });
    else of.setMark({ ...of.mark(), [hold.what]: now });
  }

  private wheel(e: WheelEvent): void {
    e.preventDefault();
    if (e.ctrlKey || e.metaKey || (!e.shiftKey && Math.abs(e.deltaY) > Math.abs(e.deltaX)))
      return this.zoom(Math.exp(e.deltaY * 0.003), e.offsetX);
    this.view.from = Math.max(0, this.view.from + (e.deltaX || e.deltaY) * this.view.perPixel);
    this.repaint();
  }

  private paint(): void {
    const perPixel = this.of.length / Math.max(1, this.overview.clientWidth);
    this.paintOne(this.overview, { from: 0, perPixel }, false);
    this.paintOne(this.canvas, this.view, true);
    this.of.painted();
  }

  private paintOne(canvas: HTMLCanvasElement, view: typeof this.view, large: boolean): void {
    const { of } = this;
    const col = colours();
    const { c, width, height } = sharpen(canvas);
    const x = (n: number) => toX(view, n);
    const source = of.source();
    c.fillStyle = col.surface;
    c.fillRect(0, 0, width, height);
    const foot = large ? CLIPS : 8,
      heard = of.heard();
    for (const u of of.uses()) {
      const colour = u.clip === of.chosen ? col.madder : col.dialogue;
      band(c, x(u.in), x(u.out), height - foot, foot, colour, large ? u.name : "");
    }
    const shown = of.moment();
    if (shown) {
      c.fillStyle = col.madder + "22";
      c.fillRect(x(shown.in), 0, x(shown.out) - x(shown.in), height);
    }
    for (const s of source.stretches ?? [])
      band(c, x(s.from), x(s.to), large ? 2 : 0, large ? 16 : 6, col.tone, large ? s.name : "");
    const { from = -1, to = -1 } = of.mark();
    if (from >= 0 && to > from) {
      c.fillStyle = col.amber + "44";
      c.fillRect(x(from), 0, x(to) - x(from), height);
    }
    if (source.samples) {
      const drawn = { source: source.id, offset: 0, gain: () => LOUDER, colour: col.dialogue };
      const [left, right] = [Math.max(0, x(0)), Math.min(width, x(of.length))];
      const [top, tall] = large ? [20, height - 24 - CLIPS - HEARD - 4] : [6, height - 16];
      drawWave(c, drawn, view.from, view.perPixel, left, right, top, tall);
      if (heard && large) {
        const lane = { x, left, right, top, height: tall };
        drawBackground(c, { db: heard.background_db, words: backgroundWords(heard), gain: LOUDER }, lane, col);
        drawHeard(c, heard.parts, { ...lane, top: height - CLIPS - HEARD - 2, height: HEARD }, col);
      }
    }
    c.fillStyle = col.amber;
    for (const n of [from, to]) if (n >= 0) c.fillRect(x(n) - 1, 0, 2, height);
    c.fillStyle = col.madder;
    c.fillRect(x(of.at()) - 0.75, 0, 1.5, height);
    if (large) return;
    const wide = (this.canvas.clientWidth * this.view.perPixel) / view.perPixel;
    c.strokeStyle = col.ink;
    c.strokeRect(x(this.view.from) + 0.5, 0.5, wide, height - 1);
  }
}

type Context = CanvasRenderingContext2D;

function band(c: Context, x0: number, x1: number, top: number, height: number, colour: string, words: string): void {
  if (x1 < 0 || x0 > c.canvas.clientWidth) return;
  c.fillStyle = colour + "38";
  c.fillRect(x0, top, Math.max(2, x1 - x0), height);
  c.fillStyle = colour;
  c.fillRect(x0, top, 1.5, height);
  c.fillRect(x1 - 1.5, top, 1.5, height);
  if (!words || x1 - x0 < 24) return;
  c.fillStyle = colours().ink;
  c.font = `11.5px ${TEXT}`;
  c.fillText(fitted(c, words, x1 - Math.max(0, x0) - 10), Math.max(0, x0) + 5, top + 12);
}
