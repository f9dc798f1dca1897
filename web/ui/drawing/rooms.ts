// Rooms as they are drawn: third-octave levels over frequency, takes and target over one another.
import type { EveningAnswer, TakeView } from "../wire/web.ts";
import { type Colours, colours, FIGURES } from "./paint.ts";
import { nominal, type Scale, scaleOf, xOf, yOf } from "./room-scale.ts";

function line(c: CanvasRenderingContext2D, list: number[], s: Scale, box: DOMRect): void {
  c.beginPath();
  for (const [i, db] of list.entries())
    c.lineTo(box.x + xOf(i, list.length, box.width), box.y + yOf(db, s, box.height));
  c.stroke();
}

/** The canvas at the screen's own sharpness, cleared. */
function sharp(canvas: HTMLCanvasElement): { c: CanvasRenderingContext2D; width: number; height: number } {
  const { clientWidth: width, clientHeight: height } = canvas,
    by = devicePixelRatio || 1;
  canvas.width = Math.round(width * by);
  canvas.height = Math.round(height * by);
  const c = canvas.getContext("2d")!;
  c.scale(by, by);
  return { c, width, height };
}

const scaleFor = ({ plan, takes }: EveningAnswer): Scale =>
  scaleOf([plan.target.thirds_db, ...takes.flatMap((t) => [t.thirds_db, t.later_db])]);

function take(c: CanvasRenderingContext2D, t: TakeView, s: Scale, box: DOMRect, col: Colours): void {
  c.strokeStyle = col.dialogue;
  line(c, t.thirds_db, s, box);
  if (!t.later_db.length) return;
  c.setLineDash([4, 3]); // what it goes over to
  line(c, t.later_db, s, box);
  c.setLineDash([]);
}

/** All takes over one another, the target over all; one of them may be bold. */
export function drawRooms(canvas: HTMLCanvasElement, answer: EveningAnswer, lowHz: number, bold: string): void {
  const { c, width, height } = sharp(canvas),
    col = colours(),
    s = scaleFor(answer),
    box = new DOMRect(52, 8, width - 60, height - 30),
    count = answer.plan.target.thirds_db.length;
  c.font = `11px ${FIGURES}`;
  c.lineWidth = 1;
  for (let db = s.bottom; db <= s.top; db += 10) {
    const y = box.y + yOf(db, s, box.height);
    c.strokeStyle = col.line;
    c.beginPath();
    c.moveTo(box.x, y);
    c.lineTo(box.right, y);
    c.stroke();
    c.fillStyle = col.soft;
    c.textAlign = "right";
    c.fillText(String(db), box.x - 6, y + 4);
  }
  c.textAlign = "center";
  for (let n = 0; n < count; n += 3) {
    const hz = nominal(lowHz * 10 ** (n / 10));
    c.fillText(hz < 1000 ? `${hz} Hz` : `${hz / 1000} kHz`, box.x + xOf(n, count, box.width), height - 6);
  }
  for (const t of answer.takes) {
    const mine = t.clips[0] === bold;
    c.globalAlpha = mine ? 1 : bold ? 0.25 : 0.6;
    c.lineWidth = mine ? 3 : 1.5;
    take(c, t, s, box, col);
  }
  c.globalAlpha = 1;
  c.strokeStyle = col.amber;
  c.lineWidth = 3;
  line(c, answer.plan.target.thirds_db, s, box);
}

/** One take under the target. */
export function drawRoom(canvas: HTMLCanvasElement, t: TakeView, answer: EveningAnswer): void {
  const { c, width, height } = sharp(canvas),
    col = colours(),
    s = scaleFor(answer),
    box = new DOMRect(0, 2, width, height - 4);
  c.lineWidth = 2;
  c.strokeStyle = col.amber;
  line(c, answer.plan.target.thirds_db, s, box);
  c.lineWidth = 1.5;
  take(c, t, s, box, col);
}
