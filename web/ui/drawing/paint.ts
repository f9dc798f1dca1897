// What the canvas views share: colours of the present light, sharp canvases, stitches.

export interface Colours {
  [name: string]: string;
}
let kept: Colours | undefined;
document.addEventListener("light", () => (kept = undefined));

/** The colours of the style sheet, by name. */
export function colours(): Colours {
  if (kept) return kept;
  const style = getComputedStyle(document.documentElement);
  kept = {};
  for (const n of [
    "page",
    "surface",
    "ink",
    "soft",
    "line",
    "dialogue",
    "tone",
    "music",
    "effects",
    "picture",
    "walnut",
    "olive",
    "madder",
    "moss",
    "amber",
  ])
    kept[n] = style.getPropertyValue(`--${n}`).trim();
  return kept;
}

const HUES: Record<string, string> = {
  indigo: "dialogue",
  weld: "tone",
  plum: "music",
  rust: "effects",
  slate: "picture",
};

/** The name of a track's thread among the colours: that of its hue, else of its purpose. */
export const threadOf = (t: { hue?: string; purpose: string }): string => (t.hue ? (HUES[t.hue] ?? t.hue) : t.purpose);

export const TEXT = '"Text", sans-serif',
  FIGURES = '"Figures", monospace';

const sizes = new WeakMap<Element, { width: number; height: number }>();
const sizer =
  typeof ResizeObserver === "undefined"
    ? undefined
    : new ResizeObserver((list) => {
        for (const e of list) sizes.set(e.target, { width: e.target.clientWidth, height: e.target.clientHeight });
      });

/** An element's size in CSS pixels, without making the browser lay the page out to tell it. */
export function sizeOf(el: Element): { width: number; height: number } {
  let size = sizes.get(el);
  if (!size) {
    sizes.set(el, (size = { width: el.clientWidth, height: el.clientHeight }));
    sizer?.observe(el);
  }
  return size;
}

/**
 * Makes a canvas as sharp as the screen, and gives its size in CSS pixels. One that paints its whole ground is
 * opaque.
 */
export function sharpen(
  canvas: HTMLCanvasElement,
  opaque = false,
): { c: CanvasRenderingContext2D; width: number; height: number } {
  const { width, height } = sizeOf(canvas),
    ratio = devicePixelRatio || 1;
  const w = Math.round(width * ratio),
    h = Math.round(height * ratio);
  if (canvas.width !== w || canvas.height !== h) {
    canvas.width = w;
    canvas.height = h;
  }
  const c = canvas.getContext("2d", { alpha: !opaque })!;
  c.setTransform(ratio, 0, 0, ratio, 0, 0);
  return { c, width, height };
}

/** A row of slanted stitches down a line. */
export function stitches(c: CanvasRenderingContext2D, x: number, top: number, bottom: number, colour: string): void {
  c.strokeStyle = colour;
  c.lineWidth = 1.4;
  c.beginPath();
  for (let y = top + 3; y < bottom - 2; y += 6) {
    c.moveTo(x - 2.5, y + 2);
    c.lineTo(x + 2.5, y - 1);
  }
  c.stroke();
}

/** Paints at most once for each frame of the screen. */
export function repainter(paint: () => void): () => void {
  let asked = false;
  return () => {
    if (asked) return;
    asked = true;
    requestAnimationFrame(() => {
      asked = false;
      paint();
    });
  };
}

/** A canvas of two layers: what lies under is kept while nothing but what lies over it moves, as a playhead does. */
export function layers(
  canvas: HTMLCanvasElement,
  under: () => void,
  over: () => void,
): { now(): void; whole(): void; over(): void } {
  const kept = document.createElement("canvas");
  let there = false;
  const back = () => {
    const c = canvas.getContext("2d")!;
    c.save();
    c.setTransform(1, 0, 0, 1, 0, 0);
    c.globalCompositeOperation = "copy";
    c.drawImage(kept, 0, 0);
    c.restore();
  };
  const keep = () => {
    under();
    [kept.width, kept.height] = [canvas.width, canvas.height];
    there = kept.width > 0 && kept.height > 0;
    if (there) kept.getContext("2d")!.drawImage(canvas, 0, 0);
  };
  const now = () => {
    there = false;
    under();
    over();
  };
  return {
    now,
    whole: repainter(now),
    over: repainter(() => {
      if (there) back();
      else keep();
      over();
    }),
  };
}

/** Waits until the frame that is being made is on the screen, or, where the page is not seen, for a moment. */
export const frameShown = (): Promise<void> =>
  new Promise((done) => {
    requestAnimationFrame(() => setTimeout(done));
    setTimeout(done, 60);
  });

/** Does something once the frame that is being made has been painted; asked again before that, once. */
export function afterPaint(act: () => void): () => void {
  let asked = false;
  return () => {
    if (asked) return;
    asked = true;
    requestAnimationFrame(() =>
      setTimeout(() => {
        asked = false;
        act();
      }),
    );
  };
}

/** Text cut to fit, with an ellipsis. */
export function fitted(c: CanvasRenderingContext2D, text: string, width: number): string {
  if (c.measureText(text).width <= width) return text;
  let n = text.length;
  while (n > 0 && c.measureText(text.slice(0, n) + "…").width > width) n--;
  return n > 0 ? text.slice(0, n) + "…" : "";
}

/** Paints anew when the light changes, and once the fonts are there. */
export function onLook(paint: () => void): void {
  document.addEventListener("light", paint);
  void document.fonts.ready.then(paint);
}
