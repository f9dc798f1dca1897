// The seam list: all seams, by time or worst first. Only the rows in view are in the page.

import { repainter } from "../drawing/paint.ts";
import type { Seam } from "../model/seam.ts";
import type { Rate } from "../model/time.ts";
import { hasWords } from "./long-list.ts";

const ROW = 62;
const MARKS: Record<string, [string, string]> = {
  clean: ["●", "clean"],
  audible: ["◆", "audible"],
  rough: ["▲", "rough"],
  unknown: ["□", "unknown"],
  "": ["○", ""],
};
const RANK: Record<string, number> = { rough: 0, audible: 1, unknown: 1.5, clean: 2, "": 3 };

const rank = (s: Seam): number => (s.accepted === undefined ? RANK[s.verdict] : RANK.clean);

/** What rows say beside what the server knows of their seams. */
export interface Says {
  when(s: Seam): string;
  lead(s: Seam): string;
  people(s: Seam): string; // notes on it, and who has it in hand
}

export class SeamList {
  worst = false;
  all: Seam[] = [];
  led: Seam[] = []; // whose sound is cut elsewhere than its picture
  off: { at: number; tone: string }[] = []; // audible or rough, and not accepted
  chosen = "";
  private rows = new Map<string, { shows: string; el: HTMLElement }>(); // in view, by seam
  private readonly paint = repainter(() => this.draw());
  private places = new Map<string, number>(); // in all, by id
  private order: Seam[] = [];
  private box: HTMLElement;
  private inner = document.createElement("div");
  readonly choose: (s: Seam) => void;

  private words = ""; // that those in the list have
  private says: Says;

  constructor(box: HTMLElement, choose: (s: Seam) => void, says: Says) {
    [this.box, this.choose, this.says] = [box, choose, says];
    box.append(this.inner);
    box.addEventListener("scroll", () => this.paint());
    new ResizeObserver(() => this.paint()).observe(box);
    document.addEventListener("light", () => this.paint());
    const rowOf = (e: Event) => (e.target as Element).closest<HTMLElement>("[data-seam]");
    const take = (row: HTMLElement | null | undefined) => {
      const s = row && this.all.find((x) => x.id === row.dataset.seam);
      if (s) this.choose(s);
    };
    // A row that is drawn anew, or moved, between press and release gets no click: what was pressed is taken.
    let pressed: { row: HTMLElement | null; x: number; y: number } | undefined;
    box.addEventListener("pointerdown", (e) => {
      pressed = e.button === 0 ? { row: rowOf(e), x: e.clientX, y: e.clientY } : undefined;
    });
    box.addEventListener("pointerup", (e) => {
      const p = pressed;
      pressed = undefined;
      if (p && Math.hypot(e.clientX - p.x, e.clientY - p.y) < 8) take(p.row);
    });
    box.addEventListener("click", (e) => e.detail === 0 && take(rowOf(e))); // without a pointer
  }

  set(all: Seam[]): void {
    this.all = all;
    this.places = new Map(all.map((s, i) => [s.id, i]));
    this.off = all.filter((s) => rank(s) <= RANK.audible).map((s) => ({ at: s.at, tone: s.verdict }));
    this.led = all.filter((s) => s.lead && s.kind !== "fade");
    this.sort();
  }

  /** Shows anew what rows say beside. */
  again(): void {
    this.paint();
  }

  sort(): void {
    const shown = this.words ? this.all.filter((s) => this.has(s)) : this.all;
    this.order = this.worst ? [...shown].sort((a, b) => rank(a) - rank(b) || a.at - b.at) : shown;
    this.paint();
  }

  /** Shows those alone that have all words: in verdict, track, cause, clips or what is found; gives how many. */
  filter(typed: string): number {
    this.words = typed.trim();
    this.sort();
    return this.order.length;
  }

  /** How many of all are shown. */
  get count(): number {
    return this.order.length;
  }

  /** The first of the worst. */
  worstOf(): Seam | undefined {
    return this.all.reduce<Seam | undefined>((worst, s) => (worst && rank(worst) <= rank(s) ? worst : s), undefined);
  }

  private has(s: Seam): boolean {
    const text = [s.verdict, s.track_name, s.cause.replaceAll("_", " "), name(s), s.why, s.kind.replaceAll("_", " ")];
    if (s.accepted !== undefined) text.push("accepted", s.accepted);
    return hasWords(text.join(" "), this.words);
  }

  get current(): Seam | undefined {
    return this.all[this.places.get(this.chosen) ?? -1];
  }

  number(s: Seam): number {
    return (this.places.get(s.id) ?? -1) + 1;
  }

  /** The seam so many rows further in the present order; from the playhead if none is chosen. */
  step(by: number, playhead: number): Seam | undefined {
    const at = this.order.findIndex((s) => s.id === this.chosen);
    if (at < 0)
      return by > 0
        ? (this.order.find((s) => s.at >= playhead) ?? this.order[0])
        : ([...this.order].reverse().find((s) => s.at <= playhead) ?? this.order.at(-1));
    return this.order[Math.max(0, Math.min(this.order.length - 1, at + by))];
  }

  select(id: string): void {
    this.chosen = id;
    const at = this.order.findIndex((s) => s.id === id);
    if (at >= 0) {
      const top = at * ROW;
      if (top < this.box.scrollTop) this.box.scrollTop = top;
      else if (top + ROW > this.box.scrollTop + this.box.clientHeight)
        this.box.scrollTop = top + ROW - this.box.clientHeight;
    }
    this.paint();
  }

  private draw(): void {
    this.inner.style.height = `${this.order.length * ROW}px`;
    const first = Math.max(0, Math.floor(this.box.scrollTop / ROW) - 2),
      last = Math.min(this.order.length, Math.ceil((this.box.scrollTop + this.box.clientHeight) / ROW) + 2);
    const was = this.rows;
    this.rows = new Map();
    for (const [k, s] of this.order.slice(first, last).entries()) {
      const shows = JSON.stringify([
          s,
          first + k,
          this.number(s),
          s.id === this.chosen,
          this.says.when(s),
          this.says.people(s),
        ]),
        kept = was.get(s.id);
      this.rows.set(s.id, kept?.shows === shows ? kept : { shows, el: this.row(s, first + k) });
    }
    const now = [...this.rows.values()].map((r) => r.el);
    if (now.length !== this.inner.children.length || now.some((el, i) => el !== this.inner.children[i]))
      this.inner.replaceChildren(...now);
    this.box.setAttribute("aria-activedescendant", this.chosen ? `seam-${this.chosen}` : "");
  }

  private row(s: Seam, at: number): HTMLElement {
    const el = document.createElement("div");
    const [mark, tone] = MARKS[s.verdict] ?? MARKS[""];
    el.className = `seam${s.id === this.chosen ? " chosen" : ""}`;
    el.style.top = `${at * ROW}px`;
    el.id = `seam-${s.id}`;
    el.dataset.seam = s.id;
    el.setAttribute("role", "option");
    el.setAttribute("aria-selected", String(s.id === this.chosen));
    const m = document.createElement("span");
    m.className = tone;
    m.innerHTML = '<i aria-hidden="true"></i><span class="sr-only"></span>';
    m.querySelector("i")!.textContent = s.accepted === undefined ? mark : "✓";
    m.querySelector("span")!.textContent =
      s.accepted === undefined ? s.verdict || (s.why ? "not measured" : "not measured yet") : `${s.verdict}, accepted`;
    const middle = document.createElement("div");
    middle.style.minWidth = "0";
    middle.innerHTML =
      '<div class="line"><b></b><span class="who"></span></div><div class="mono when"></div><div class="why"></div>';
    middle.querySelector("b")!.textContent = String(this.number(s));
    middle.querySelector(".when")!.textContent = this.says.when(s);
    middle.querySelector(".who")!.textContent = name(s);
    middle.querySelector(".why")!.textContent = [
      s.accepted === undefined ? "" : "accepted",
      this.says.people(s),
      this.says.lead(s),
      s.why || "being measured",
    ]
      .filter(Boolean)
      .join(" · ");
    el.title = [`${s.track_name}: ${name(s)}`, this.says.people(s), this.says.lead(s), s.why, s.accepted]
      .filter(Boolean)
      .join("\n");
    el.append(m, middle, drawing(s));
    return el;
  }
}

/** "sound leads 8 f" where sound is cut earlier or later than picture, else "". */
export function leadOf(s: Seam, rate: Rate, sampleRate: number): string {
  const n = s.lead === undefined ? 0 : Math.round((s.lead * rate.num) / (rate.den * sampleRate));
  return n === 0 ? "" : `sound ${n > 0 ? "leads" : "trails"} ${Math.abs(n)} f`;
}

/** Which clips a seam is about, in words. */
export function name(s: Seam): string {
  if (s.kind === "lull") return `lull in ${s.left_name}${s.right ? ", patched" : ""}`;
  if (s.left && s.right) return `${s.left_name} → ${s.right_name}`;
  return s.left ? `${s.left_name} ends` : `${s.right_name} begins`;
}

/** The two backgrounds' heights, -75 dBFS to -25. */
function drawing(s: Seam): SVGSVGElement {
  const svg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
  svg.setAttribute("width", "34");
  svg.setAttribute("height", "30");
  svg.setAttribute("aria-hidden", "true");
  const h = (db: number | null | undefined) =>
    db == null || db <= -80 ? 0 : Math.max(2, Math.min(27, ((db + 75) / 50) * 27));
  const [l, r] = [h(s.measures.background_left_db), h(s.measures.background_right_db)];
  svg.innerHTML =
    `<rect x="2" y="${28 - l}" width="13" height="${l}" fill="var(--dialogue)" opacity=".55"/><rect ` +
    `x="18" y="${28 - r}" width="13" height="${r}" fill="var(--dialogue)" opacity=".9"/><path d="M16.5 2v28" ` +
    `stroke="var(--soft)" stroke-dasharray="2 2"/>`;
  return svg;
}
