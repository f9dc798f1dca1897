// List, bench, card and timeline share the window: bars between them are dragged or moved by arrow keys, and are where
// they were left the next time. A double click puts one back.

interface Splitter {
  id: string;
  /** How the bar moves what: the custom property, its share of the window's side, and its bounds in pixels. */
  property: string;
  along: "x" | "y";
  usual: number; // share of the window's side
  least: number;
  most(side: number): number;
  from: "start" | "end"; // from where it is measured
}

const head = 52; // pixels of the strip above

const splitters: Splitter[] = [
  { id: "split-list", property: "--list", along: "x", usual: 0.197, least: 200, most: (w) => w * 0.34, from: "start" },
  { id: "split-card", property: "--card", along: "x", usual: 0.206, least: 226, most: (w) => w * 0.36, from: "end" },
  { id: "split-bench", property: "--bench", along: "y", usual: 0.465, least: 250, most: (h) => h - 210, from: "start" },
];

const kept = (s: Splitter) => `blendseam-${s.id}`;
const side = (s: Splitter) => (s.along === "x" ? innerWidth : innerHeight);

/** Widths of lists and cards stop growing, that a large window is the bench's. */
function size(s: Splitter): number {
  const own = Number(localStorage.getItem(kept(s)) ?? Number.NaN);
  const wish = Number.isNaN(own) ? Math.min(s.usual * side(s), s.along === "x" ? 340 : Infinity) : own * side(s);
  return Math.round(Math.max(s.least, Math.min(s.most(side(s)), wish)));
}

export function registerSplitters(root: HTMLElement, changed: () => void): void {
  const bars = splitters.map((s) => ({ s, bar: document.getElementById(s.id)! }));
  const lay = () => {
    for (const { s, bar } of bars) {
      root.style.setProperty(s.property, `${size(s)}px`);
      bar.setAttribute("aria-valuenow", String(Math.round((100 * size(s)) / side(s))));
      bar.setAttribute("aria-valuemin", String(Math.round((100 * s.least) / side(s))));
      bar.setAttribute("aria-valuemax", String(Math.round((100 * s.most(side(s))) / side(s))));
    }
    changed();
  };
  const set = (s: Splitter, pixels: number) => {
    const bounded = Math.max(s.least, Math.min(s.most(side(s)), pixels));
    localStorage.setItem(kept(s), String(bounded / side(s)));
    lay();
  };
  for (const { s, bar } of bars) {
    const at = (e: PointerEvent) => {
      const p = s.along === "x" ? e.clientX : e.clientY - head;
      return s.from === "end" ? innerWidth - p : p;
    };
    bar.addEventListener("pointerdown", (e) => {
      e.preventDefault();
      bar.setPointerCapture(e.pointerId);
      const off = size(s) - at(e);
      const move = (m: PointerEvent) => set(s, at(m) + off);
      bar.addEventListener("pointermove", move);
      bar.addEventListener("lostpointercapture", () => bar.removeEventListener("pointermove", move), { once: true });
    });
    bar.addEventListener("dblclick", () => {
      localStorage.removeItem(kept(s));
      lay();
    });
    bar.addEventListener("keydown", (e) => {
      const keys = s.along === "x" ? ["ArrowLeft", "ArrowRight"] : ["ArrowUp", "ArrowDown"];
      const way = keys.indexOf(e.key);
      if (way < 0) return;
      e.preventDefault();
      e.stopPropagation();
      set(s, size(s) + (way === 0 ? -1 : 1) * (s.from === "end" ? -1 : 1) * (e.shiftKey ? 40 : 10));
    });
  }
  addEventListener("resize", lay);
  lay();
}
