// The curve of a clip, drawn on its card: what its filters and what brings it near another voice do over frequency. The
// third-octaves of the latter are points that can be moved, by hand or with the arrow keys.
import { colours, FIGURES, sharpen } from "../drawing/paint.ts";
import { get } from "../model/api.ts";
import type { Clip } from "../model/scene.ts";
import type { CurveAnswer } from "../wire/web.ts";

const [LOW, HIGH] = [40, 16000]; // Hz
const MOST = 24; // dB to each side

export class CurveDrawn {
  private canvas: HTMLCanvasElement;
  private clip?: Clip;
  private key = "";
  private answer?: CurveAnswer;
  private held?: { i: number; db: number };
  private chosen = 9;
  private scene: string;
  private edit: (e: unknown) => void;

  constructor(canvas: HTMLCanvasElement, scene: string, edit: (e: unknown) => void) {
    [this.canvas, this.scene, this.edit] = [canvas, scene, edit];
    canvas.addEventListener("pointerdown", (e) => this.down(e));
    canvas.addEventListener("pointermove", (e) => this.move(e));
    canvas.addEventListener("pointerup", () => this.up());
    canvas.addEventListener("keydown", (e) => this.press(e));
  }

  /** Shows the curve of a clip; none hides it. */
  show(clip: Clip | undefined): void {
    this.clip = clip?.like || clip?.filters ? clip : undefined;
    this.canvas.hidden = !this.clip;
    if (!this.clip) return;
    const key = JSON.stringify([this.clip.id, this.clip.like, this.clip.filters]);
    if (key === this.key) return this.paint();
    this.key = key;
    void get<CurveAnswer>(`/scenes/${this.scene}/clips/${encodeURIComponent(this.clip.id)}/curve`).then((got) => {
      if (key !== this.key) return;
      this.answer = got;
      this.paint();
    });
  }

  private x = (hz: number, width: number) => (width * Math.log(hz / LOW)) / Math.log(HIGH / LOW);
  private y = (db: number, height: number) => (height * (MOST - Math.max(-MOST, Math.min(MOST, db)))) / (2 * MOST);

  private paint(): void {
    if (!this.answer) return;
    const { c, width, height } = sharpen(this.canvas),
      col = colours(),
      { hz, db } = this.answer;
    c.clearRect(0, 0, width, height);
    c.strokeStyle = col.line;
    c.fillStyle = col.soft;
    c.font = `9px ${FIGURES}`;
    for (const v of [-12, 0, 12]) {
      c.beginPath();
      c.moveTo(0, this.y(v, height));
      c.lineTo(width, this.y(v, height));
      c.stroke();
      c.fillText(`${v > 0 ? "+" : ""}${v}`, 2, this.y(v, height) - 2);
    }
    for (const v of [100, 1000, 10000]) c.fillText(v < 1000 ? `${v}` : `${v / 1000} k`, this.x(v, width), height - 2);
    c.strokeStyle = c.fillStyle = col.madder;
    c.lineWidth = 1.5;
    c.beginPath();
    for (let i = 0; i < hz.length; i++) c.lineTo(this.x(hz[i], width), this.y(db[i], height));
    c.stroke();
    const like = this.clip?.like;
    if (!like) return;
    for (const [i, at] of this.answer.thirds_hz.entries()) {
      const level = this.held?.i === i ? this.held.db : this.levelOf(i),
        size = i === this.chosen && document.activeElement === this.canvas ? 7 : 4;
      c.fillRect(this.x(at, width) - size / 2, this.y(level, height) - size / 2, size, size);
    }
  }

  private share = () => (this.clip?.like?.strength || 100) / 100;

  /** Where a third-octave of what brings the clip near another lies, in dB. */
  private levelOf = (i: number) => this.share() * (this.clip!.like!.thirds_db[i] + this.clip!.like!.gain_db);

  private down(e: PointerEvent): void {
    if (!this.clip?.like || !this.answer) return;
    const width = this.canvas.clientWidth,
      list = this.answer.thirds_hz.map((hz) => Math.abs(this.x(hz, width) - e.offsetX));
    this.chosen = list.indexOf(Math.min(...list));
    if (list[this.chosen] > 8) return;
    this.canvas.setPointerCapture(e.pointerId);
    this.held = { i: this.chosen, db: this.levelOf(this.chosen) };
  }

  private move(e: PointerEvent): void {
    if (!this.held) return;
    this.held.db = Math.round(10 * (MOST - (2 * MOST * e.offsetY) / this.canvas.clientHeight)) / 10;
    this.paint();
  }

  private up(): void {
    const h = this.held;
    this.held = undefined;
    if (h) this.set(h.i, h.db);
  }

  private set(i: number, db: number): void {
    const like = this.clip!.like!,
      level = db / this.share() - like.gain_db,
      thirds_db = like.thirds_db.map((v, k) =>
        k === i ? Math.round(10 * Math.max(-24, Math.min(24, level))) / 10 : v,
      );
    this.edit({ edit: "set_like", clips: [this.clip!.id], like: { ...like, thirds_db } });
  }

  private press(e: KeyboardEvent): void {
    if (!this.clip?.like) return;
    const by = { ArrowUp: 1, ArrowDown: -1 }[e.key],
      step = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
    if (by === undefined && step === undefined) return;
    e.preventDefault();
    e.stopPropagation();
    if (step) this.chosen = Math.max(0, Math.min(this.clip.like.thirds_db.length - 1, this.chosen + step));
    else this.set(this.chosen, this.levelOf(this.chosen) + by!);
    this.paint();
  }
}
