// Listening through one recording: its waveform, in and out, named stretches, taking them out, and the clips of it.
import Alpine from "@alpinejs/csp";
import { marked, place } from "../commands/clipboard.ts";
import { type Command, commandFor } from "../commands/keys.ts";
import { colours, fitted, repainter, sharpen, TEXT } from "../drawing/paint.ts";
import { Pictures, type Sheets } from "../drawing/pictures.ts";
import { drawWave, setUpWaves } from "../drawing/waves.ts";
import { get, Problem, pageData, pageName, post } from "../model/api.ts";
import type { Source, Stretch } from "../model/scene.ts";
import {
  frameOf,
  frames,
  nearestFrame,
  parseTimecode,
  type Rate,
  sampleOf,
  timecode,
  toSample,
  toX,
  type View,
  zoomed,
} from "../model/time.ts";
import { registerFigures } from "../panels/figure.ts";
import { registerToast, say } from "../panels/toast.ts";

interface Use {
  clip: string;
  name: string;
  track: string;
  tc: string;
  in: number;
  out: number;
}
interface State {
  revision: number;
  source: Source;
  uses: Use[];
}
interface Data {
  id: string;
  rate: Rate;
  sample_rate: number;
  start_frame: number;
  state: State;
  tracks: { id: string; name: string }[];
  picture: string;
  commands: Command[];
  media: Sheets & { peak_steps: number[]; tile_bins: number };
}

const data = pageData<Data>(),
  { rate, sample_rate: sr, id } = data;
let { source, uses, revision } = data.state;
const length = source.samples || sampleOf(source.frames ?? 0, rate, sr),
  frame = sampleOf(1, rate, sr);
const $ = <T extends HTMLElement>(name: string) => document.getElementById(name) as T;
const asked = new URLSearchParams(location.search),
  shownClip = asked.get("clip") ?? "";

/** The moment of the clip that the address names. */
function shownMoment(): { in: number; out: number } | undefined {
  const u = uses.find((x) => x.clip === shownClip);
  if (u) return u;
  const [from, to] = [Number(asked.get("from") ?? NaN), Number(asked.get("to") ?? NaN)];
  return from >= 0 && to > from ? { in: from, out: to } : undefined;
}

let at = 0; // where it plays, samples
let mark: { from?: number; to?: number } = {};
let view: View = { from: 0, perPixel: 1000 };
let panel: Panel;

// --- sound ---

const audio = new Audio(source.samples ? `/media/${source.id}/sound/${sr}` : undefined);
audio.preload = "metadata";
audio.preservesPitch = true;
for (const e of ["play", "pause", "ended"]) audio.addEventListener(e, () => showPlaying());
audio.addEventListener(
  "error",
  () => audio.src && say("The sound of this recording cannot be played here; it may no longer be in the media folder."),
);

function seek(to: number): void {
  at = Math.max(0, Math.min(length, Math.round(to)));
  if (audio.src) audio.currentTime = at / sr;
  const x = toX(view, at),
    width = $("source-wave").clientWidth;
  if (x < 0 || x > width) view.from = Math.max(0, at - (view.perPixel * width) / 3);
  paint();
}

function tick(): void {
  if (!audio.paused) {
    at = Math.min(length, Math.round(audio.currentTime * sr));
    const width = $("source-wave").clientWidth;
    if (toX(view, at) > width - 20) view.from = at - view.perPixel * 40;
    paint();
  }
  requestAnimationFrame(tick);
}

// --- drawing ---

setUpWaves(sr, data.media.peak_steps, data.media.tile_bins, () => paint());
const pictures = new Pictures(rate, data.media, () => paint());
const clock = (n: number) => timecode(frameOf(n, rate, sr), rate);
const paint = repainter(() => {
  const col = colours();
  for (const [name, v] of [
    ["overview", { from: 0, perPixel: length / Math.max(1, $("overview").clientWidth) }],
    ["source-wave", view],
  ] as const) {
    const { c, width, height } = sharpen($<HTMLCanvasElement>(name)),
      x = (n: number) => toX(v, n),
      large = name === "source-wave";
    c.fillStyle = col.surface;
    c.fillRect(0, 0, width, height);
    for (const u of uses)
      band(
        c,
        x(u.in),
        x(u.out),
        height - (large ? 16 : 8),
        large ? 16 : 8,
        u.clip === shownClip ? col.madder : col.dialogue,
        large ? u.name : "",
      );
    const shown = shownMoment();
    if (shown) {
      c.fillStyle = col.madder + "22";
      c.fillRect(x(shown.in), 0, x(shown.out) - x(shown.in), height);
    }
    for (const s of source.stretches ?? [])
      band(c, x(s.from), x(s.to), large ? 2 : 0, large ? 16 : 6, col.tone, large ? s.name : "");
    const [from, to] = [mark.from ?? -1, mark.to ?? -1];
    if (from >= 0 && to > from) {
      c.fillStyle = col.amber + "44";
      c.fillRect(x(from), 0, x(to) - x(from), height);
    }
    if (source.samples)
      drawWave(
        c,
        { source: source.id, offset: 0, gain: () => 2, colour: col.dialogue },
        v.from,
        v.perPixel,
        Math.max(0, x(0)),
        Math.min(width, x(length)),
        large ? 20 : 6,
        height - (large ? 40 : 16),
      );
    c.fillStyle = col.amber;
    for (const n of [from, to]) if (n >= 0) c.fillRect(x(n) - 1, 0, 2, height);
    c.fillStyle = col.madder;
    c.fillRect(x(at) - 0.75, 0, 1.5, height);
    if (!large) {
      c.strokeStyle = col.ink;
      c.strokeRect(x(view.from) + 0.5, 0.5, ($("source-wave").clientWidth * view.perPixel) / v.perPixel, height - 1);
    }
  }
  $("source-time").textContent = clock(at);
  if (source.frames) {
    const f = Math.min(source.frames - 1, frameOf(at, rate, sr));
    if (pictures.fetch(source.id, f, source.frames)) {
      const canvas = $<HTMLCanvasElement>("source-picture"),
        { c, width, height } = sharpen(canvas);
      pictures.draw(c, source.id, f, 0, 0, width, height);
      canvas.dataset.frame = String(f);
    }
  }
});

function band(
  c: CanvasRenderingContext2D,
  x0: number,
  x1: number,
  top: number,
  height: number,
  colour: string,
  words: string,
): void {
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

// --- the hand ---

const wave = $<HTMLCanvasElement>("source-wave");
let hold: { what: "seek" | "from" | "to" | "new"; x: number; start: number; moved: boolean } | undefined;
const onFrame = (n: number) => (source.frames ? sampleOf(nearestFrame(n, rate, sr), rate, sr) : Math.round(n));
wave.addEventListener("pointerdown", (e) => {
  if (e.button !== 0) return;
  wave.setPointerCapture(e.pointerId);
  const near = (n: number | undefined) => n !== undefined && Math.abs(toX(view, n) - e.offsetX) < 6;
  hold = {
    what: near(mark.from) ? "from" : near(mark.to) ? "to" : "new",
    x: e.offsetX,
    start: toSample(view, e.offsetX),
    moved: false,
  };
});
wave.addEventListener("pointermove", (e) => {
  if (!hold) return;
  if (Math.abs(e.offsetX - hold.x) > 3) hold.moved = true;
  if (!hold.moved) return;
  const now = Math.max(0, Math.min(length, onFrame(toSample(view, e.offsetX))));
  if (hold.what === "new")
    setMark({ from: Math.min(onFrame(hold.start), now), to: Math.max(onFrame(hold.start), now) });
  else setMark({ ...mark, [hold.what]: now });
});
wave.addEventListener("pointerup", () => {
  if (hold && !hold.moved) seek(hold.start);
  hold = undefined;
});
wave.addEventListener(
  "wheel",
  (e) => {
    e.preventDefault();
    if (e.ctrlKey || e.metaKey || (!e.shiftKey && Math.abs(e.deltaY) > Math.abs(e.deltaX)))
      zoom(Math.exp(e.deltaY * 0.003), e.offsetX);
    else {
      view.from = Math.max(0, view.from + (e.deltaX || e.deltaY) * view.perPixel);
      paint();
    }
  },
  { passive: false },
);
$("overview").addEventListener("pointerdown", (e) => {
  view.from = Math.max(0, (e.offsetX / $("overview").clientWidth) * length - (view.perPixel * wave.clientWidth) / 2);
  seek((e.offsetX / $("overview").clientWidth) * length);
});
new ResizeObserver(() => paint()).observe(wave);

function zoom(factor: number, x = toX(view, at)): void {
  view = zoomed(view, x, factor, 0.1, Math.max(1, length / wave.clientWidth));
  view.from = Math.max(0, view.from);
  paint();
}

function showWhole(): void {
  view = { from: 0, perPixel: length / Math.max(1, wave.clientWidth) };
  paint();
}

function showSpan(from: number, to: number): void {
  const room = Math.max(frame, (to - from) * 0.2);
  view = {
    from: Math.max(0, from - room),
    perPixel: Math.max(0.1, (to - from + 2 * room) / Math.max(1, wave.clientWidth)),
  };
  paint();
}

// --- the mark ---

function setMark(m: typeof mark): void {
  mark = m;
  showMark();
  paint();
}

/** The marked stretch: from the mark in, or the start, to the mark out, or the end. */
function stretch(): { from: number; to: number } | undefined {
  if (mark.from === undefined && mark.to === undefined) return undefined;
  const from = mark.from ?? 0,
    to = mark.to ?? length;
  return to > from ? { from, to } : undefined;
}

function showMark(): void {
  const s = stretch();
  panel.inText = mark.from === undefined ? "" : clock(mark.from);
  panel.outText = mark.to === undefined ? "" : clock(mark.to);
  panel.noMark = !s;
  panel.lengthWords = s ? `${frames(s.to - s.from, rate, sr)} · ${((s.to - s.from) / sr).toFixed(2)} s` : "";
  const key = (c: string) =>
    data.commands
      .find((x) => x.id === c)
      ?.keys?.[0]?.toUpperCase()
      .replace("SHIFT+", "Shift+") ?? "";
  panel.markHint =
    s || (mark.from === undefined && mark.to === undefined)
      ? `Drag over the waveform, or press ${key("range_from")} and ${key("range_to")} at the moment that is heard; ` +
        `drag the ends to shift them.`
      : "The out point lies before the in point.";
  if (s)
    marked.set({
      scene: id,
      source: source.id,
      name: String(panel.stretchName).trim() || source.name,
      ...s,
      picture: data.picture,
      track: String(panel.track),
    });
}

// --- edits ---

let queue: Promise<unknown> = Promise.resolve();

/** Does an edit of the scene after those under way, and shows what became of the source. */
function edit(e: unknown | (() => Promise<{ words: string }>)): Promise<boolean> {
  const done = queue.then(async () => {
    try {
      const a =
        typeof e === "function"
          ? await (e as () => Promise<{ words: string }>)()
          : await post<{ words: string }>(`/scenes/${id}/edits`, { revision, edit: e, page: pageName });
      panel.did = `Done: ${a.words}`;
      await refresh();
      return true;
    } catch (p) {
      if (p instanceof Problem && p.status === 409) await refresh();
      say(p, (offer) => void edit(offer.edit));
      return false;
    }
  });
  queue = done;
  return done;
}

async function refresh(): Promise<void> {
  ({ source, uses, revision } = await get<State>(`/scenes/${id}/sources/${source.id}/state`));
  show();
}

const takeOut = (names: string[], playhead: boolean): void =>
  void edit(() =>
    post(`/scenes/${id}/sources/${source.id}/take`, {
      names,
      track: panel.track,
      at: playhead ? place.get(id).playhead : -1,
      how: playhead ? "insert" : "",
    }),
  );

function put(how: string): void {
  const s = stretch();
  if (!s) return say("Nothing is marked. Drag over the waveform first.");
  const picture = data.picture && data.tracks.some((t) => t.id === panel.track) ? { picture: data.picture } : {};
  void edit({
    edit: "add",
    track: panel.track,
    ...picture,
    source: source.id,
    in: s.from,
    length: s.to - s.from,
    start: place.get(id).playhead,
    name: String(panel.stretchName).trim(),
    how,
  });
}

function fill(fit: "start" | "end" | "moment"): void {
  const p = place.get(id),
    s = stretch();
  if (!p.range) return say("The scene has no range to fill. Make one there first.");
  const moment = fit === "start" ? (s?.from ?? at) : fit === "end" ? (s?.to ?? at) : at;
  if (fit === "moment" && (p.playhead < p.range.from || p.playhead > p.range.to))
    return say("The scene's playhead lies outside the range; move it to where this moment shall be.");
  void edit({
    edit: "fill",
    track: panel.track,
    ...(data.picture ? { picture: data.picture } : {}),
    source: source.id,
    from: p.range.from,
    to: p.range.to,
    fit,
    moment,
    at: p.playhead,
    name: String(panel.stretchName).trim(),
  });
}

// --- keys ---

const does: Record<string, () => void> = {
  play: () => {
    if (!source.samples) return say("This recording has no sound to play; step through it with the arrow keys.");
    if (audio.paused) void audio.play();
    else audio.pause();
  },
  frame_earlier: () => seek(sampleOf(Math.max(0, frameOf(at, rate, sr) - 1), rate, sr)),
  frame_later: () => seek(sampleOf(frameOf(at, rate, sr) + 1, rate, sr)),
  second_earlier: () => seek(at - sr),
  second_later: () => seek(at + sr),
  to_start: () => seek(0),
  to_end: () => seek(length),
  range_from: () => setMark({ ...mark, from: at }),
  range_to: () => setMark({ ...mark, to: at }),
  select_none: () => setMark({}),
  keep_stretch: () => $<HTMLInputElement>("stretch-name").focus(),
  source_slower: () => speed(audio.playbackRate - 0.25),
  source_faster: () => speed(audio.playbackRate + 0.25),
  take_end: () => takeMarked(false),
  take_playhead: () => takeMarked(true),
  closer: () => zoom(1 / 1.6),
  wider: () => zoom(1.6),
  whole: () => showSpan(0, length),
  light: () => document.querySelector<HTMLElement>("[data-light]")!.click(),
};

function takeMarked(playhead: boolean): void {
  const s = stretch(),
    known = source.stretches?.find((x) => s && x.from === s.from && x.to === s.to);
  if (known) return takeOut([known.name], playhead);
  if (playhead) return put("insert");
  say("Keep the marked stretch under a name first; then it can be taken out at the end of the track.");
}

function speed(v: number): void {
  audio.playbackRate = Math.round(20 * Math.max(0.5, Math.min(2, v))) / 20;
  panel.speed = audio.playbackRate;
  panel.speedWords = `${audio.playbackRate.toFixed(2)}×`;
}

document.addEventListener("keydown", (e) => {
  const el = e.target as HTMLElement;
  if (
    e.isComposing ||
    el.matches("input:not([type=range]), select, textarea") ||
    (el.matches("button, a") && (e.key === "Enter" || e.key === " ")) ||
    (el.matches("[type=range]") && e.key.startsWith("Arrow"))
  )
    return;
  const c = commandFor(data.commands, e);
  if (!c || !does[c.id]) return;
  e.preventDefault();
  does[c.id]();
});

// --- panel ---

interface Panel {
  [key: string]: unknown;
}
const rowOf = (s: Stretch) => ({
  ...s,
  when: `${clock(s.from)} · ${((s.to - s.from) / sr).toFixed(2)} s`,
  tone: mark.from === s.from && mark.to === s.to ? "chosen" : "",
  file:
    `/scenes/${id}/sources/${source.id}/stretch.wav?` +
    new URLSearchParams({ from: String(s.from), to: String(s.to), name: s.name }),
});

function show(): void {
  panel.name = source.name;
  panel.about = `${clock(length)} long${source.frames ? ", picture and sound" : ""} · ${sr} Hz`;
  panel.stretches = (source.stretches ?? []).map(rowOf);
  panel.hasStretch = !!source.stretches?.length;
  panel.noStretch = !source.stretches?.length;
  panel.uses = uses.map((u) => ({
    ...u,
    tone: u.clip === shownClip ? "chosen" : "",
    href: `/scenes/${id}/?clip=${u.clip}`,
    title: `Show ${u.name} in the scene`,
  }));
  panel.usesTitle = uses.length ? `${uses.length} ${uses.length === 1 ? "clip" : "clips"} of it` : "No clip of it yet";
  const p = place.get(id),
    tc = (n: number) => timecode(data.start_frame + frameOf(n, rate, sr), rate);
  panel.placeWords = `the playhead is at ${tc(p.playhead)}`;
  panel.hasRange = !!p.range;
  panel.rangeWords = p.range
    ? `Range of the scene, ${frames(p.range.to - p.range.from, rate, sr)} from ${tc(p.range.from)}:`
    : "";
  showMark();
  paint();
}

function showPlaying(): void {
  panel.playMark = audio.paused ? "▶" : "■";
  panel.playWords = audio.paused ? "Play" : "Stop";
}

Alpine.data("source", () => ({
  name: source.name,
  about: "",
  playMark: "▶",
  playWords: "Play",
  speed: 1,
  speedWords: "1.00×",
  inText: "",
  outText: "",
  lengthWords: "",
  stretchName: "",
  markHint: "",
  noMark: true,
  track: data.tracks[0]?.id ?? "",
  tracks: data.tracks,
  placeWords: "",
  rangeWords: "",
  hasRange: false,
  hasPicture: !!source.frames,
  stretches: [] as ReturnType<typeof rowOf>[],
  hasStretch: false,
  noStretch: true,
  uses: [] as unknown[],
  usesTitle: "",
  did: "",
  init() {
    panel = this as unknown as Panel;
    const clip = shownMoment();
    void Alpine.nextTick(() => {
      show();
      if (clip) {
        showSpan(clip.in, clip.out);
        seek(clip.in);
      } else showWhole();
      requestAnimationFrame(tick);
    });
  },
  run(command: string) {
    does[command]();
  },
  setSpeed(e: Event) {
    speed(Number((e.target as HTMLInputElement).value));
  },
  typeMark(end: "from" | "to", e: Event) {
    const input = e.target as HTMLInputElement,
      f = parseTimecode(input.value, rate);
    if (input.value.trim() === "") return setMark({ ...mark, [end]: undefined });
    if (f === undefined) {
      say(`"${input.value}" is not a time in the recording. Write minutes, seconds and frames, such as 00:12:05.`);
      return showMark();
    }
    setMark({ ...mark, [end]: Math.min(length, sampleOf(f, rate, sr)) });
  },
  keep() {
    const s = stretch(),
      name = String(panel.stretchName).trim() || `stretch ${(source.stretches?.length ?? 0) + 1}`;
    if (!s) return say("Nothing is marked. Drag over the waveform, or set the in and out point.");
    void edit({ edit: "set_stretch", source: source.id, name, ...s }).then((ok) => {
      if (!ok) return;
      panel.stretchName = name;
      showMark();
      show();
      $("source-wave").focus();
    });
  },
  put,
  fill,
  takeOut(s: Stretch, playhead: boolean) {
    takeOut([s.name], playhead);
  },
  takeAll(playhead: boolean) {
    takeOut([], playhead);
  },
  show(s: Stretch) {
    panel.stretchName = s.name;
    setMark({ from: s.from, to: s.to });
    showSpan(s.from, s.to);
    seek(s.from);
    show();
  },
  drop(s: Stretch) {
    void edit({ edit: "drop_stretch", source: source.id, name: s.name });
  },
  showUse(u: Use) {
    showSpan(u.in, u.out);
    seek(u.in);
  },
}));

const news = new EventSource(`/events?scene=${id}`);
news.addEventListener("edit", (e) => {
  const m = JSON.parse((e as MessageEvent).data) as { page?: string };
  if (m.page !== pageName) void queue.then(refresh).catch(say);
});
document.addEventListener("light", () => paint());

registerFigures();
registerToast();
Alpine.start();
