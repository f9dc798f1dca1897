// Waveforms of recordings: tiles of lowest and highest samples, fetched once and kept.

const tiles = new Map<string, Int16Array | null>(); // null: on its way
let steps: number[] = [1, 64, 512, 4096, 32768];
let bins = 4096;
let sampleRate = 48000;
let arrived: () => void = () => {};
let tones = ""; // where the waves of built tones are
const keptTiles = 3000;

export function setUpWaves(
  rate: number,
  peakSteps: number[],
  tileBins: number,
  onArrival: () => void,
  ofTones = "",
): void {
  [sampleRate, steps, bins, arrived, tones] = [rate, peakSteps, tileBins, onArrival, ofTones];
}

/** The coarsest step that still has a bin for every pixel. */
export function stepFor(perPixel: number, all: number[] = steps): number {
  let best = all[0];
  for (const s of all) if (s <= perPixel) best = s;
  return best;
}

let lastSource = "",
  lastStep = 0,
  lastN = -1,
  lastTile: Int16Array | undefined; // most questions are about the tile of the one before

function tile(source: string, step: number, n: number): Int16Array | undefined {
  if (lastTile && n === lastN && step === lastStep && source === lastSource) return lastTile;
  const t = load(source, step, n);
  if (t) [lastSource, lastStep, lastN, lastTile] = [source, step, n, t];
  return t;
}

/** How many tiles have come: what was drawn with fewer may lack some. */
export let arrivals = 0;

function load(source: string, step: number, n: number): Int16Array | undefined {
  const key = `${source}/peaks/${sampleRate}/${step}/${n}`;
  const have = tiles.get(key);
  if (have !== undefined) return have ?? undefined;
  tiles.set(key, null);
  fetch(/^(tone|fit)-/.test(source) ? `${tones}/${source}/peaks/${step}/${n}` : `/media/${key}`).then(
    async (r) => {
      if (!r.ok) return;
      tiles.set(key, new Int16Array(await r.arrayBuffer()));
      if (tiles.size > keptTiles) tiles.delete(tiles.keys().next().value!);
      arrivals++;
      arrived();
    },
    () => tiles.delete(key),
  );
  return undefined;
}

/** Lowest and highest sample of a recording from one sample to another, -1..1; undefined while it is on its way. */
export function extremes(source: string, from: number, to: number, step: number): [number, number] | undefined {
  const a = Math.floor(from / step),
    z = Math.max(a + 1, Math.ceil(to / step));
  let low = Infinity,
    high = -Infinity;
  for (let b = a; b < z; ) {
    if (b < 0) {
      b++;
      continue;
    }
    const n = Math.floor(b / bins);
    const t = tile(source, step, n);
    if (!t) return undefined;
    const end = Math.min(z, (n + 1) * bins);
    for (; b < end; b++) {
      const i = 2 * (b - n * bins);
      if (t[i] < low) low = t[i];
      if (t[i + 1] > high) high = t[i + 1];
    }
  }
  return low <= high ? [low / 32767, high / 32767] : undefined;
}

export interface Strand {
  source: string;
  offset: number; // source sample minus scene sample
  gain: (sample: number) => number;
  colour: string;
}

/** Draws a recording over pixels [x0, x1) as lines from lowest to highest, or as single samples when they are apart. */
export function drawWave(
  c: CanvasRenderingContext2D,
  w: Strand,
  from: number,
  perPixel: number,
  x0: number,
  x1: number,
  top: number,
  height: number,
): void {
  const mid = top + height / 2,
    half = height / 2 - 1;
  const y = (v: number) => mid - Math.max(-1, Math.min(1, v)) * half;
  const sampleAt = (x: number) => from + x * perPixel;
  if (perPixel < 1) {
    const first = Math.floor(sampleAt(x0)),
      last = Math.ceil(sampleAt(x1));
    c.strokeStyle = c.fillStyle = w.colour;
    c.lineWidth = 1.4;
    c.beginPath();
    for (let s = first; s <= last; s++) {
      const v = extremes(w.source, s + w.offset, s + w.offset + 1, 1);
      if (v) c.lineTo((s - from) / perPixel, y(v[0] * w.gain(s)));
    }
    c.stroke();
    if (perPixel < 0.2)
      for (let s = first; s <= last; s++) {
        const v = extremes(w.source, s + w.offset, s + w.offset + 1, 1);
        if (v) c.fillRect((s - from) / perPixel - 1.5, y(v[0] * w.gain(s)) - 1.5, 3, 3);
      }
    return;
  }
  const step = stepFor(perPixel);
  c.fillStyle = w.colour;
  for (let x = Math.floor(x0); x < x1; x++) {
    const a = sampleAt(x),
      v = extremes(w.source, a + w.offset, a + perPixel + w.offset, step);
    if (!v) continue;
    const g = w.gain(a + perPixel / 2);
    const y0 = y(v[1] * g),
      y1 = y(v[0] * g);
    c.fillRect(x, y1 - y0 < 1 ? (y0 + y1) / 2 - 0.5 : y0, 1, Math.max(1, y1 - y0));
  }
}
