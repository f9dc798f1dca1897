// Listening through one recording: its waveform, in and out, named stretches, taking them out, and the clips of it.
import Alpine from "@alpinejs/csp";
import { marked, place } from "../commands/clipboard.ts";
import { listenForCommands } from "../commands/keys.ts";
import { stretchFiles } from "../commands/pieces.ts";
import { SourceHeard } from "../commands/source-heard.ts";
import { fillEdit, takenOut } from "../commands/taking.ts";
import { eachFrame } from "../drawing/frames.ts";
import { sharpen } from "../drawing/paint.ts";
import { Pictures } from "../drawing/pictures.ts";
import { setUpWaves } from "../drawing/waves.ts";
import { get, Problem, pageData, pageName, post } from "../model/api.ts";
import { listen } from "../model/events.ts";
import type { SourcePage, SourceState, Use } from "../model/page.ts";
import type { Stretch } from "../model/scene.ts";
import { frameOf, frames, nearestFrame, sampleOf, timecode } from "../model/time.ts";
import { momentOf } from "../model/typed.ts";
import { refuseFigure, registerFigures } from "../panels/figure.ts";
import { unheard } from "../panels/source-panel.ts";
import { registerToast, say } from "../panels/toast.ts";
import { type Mark, SourceWave } from "../timeline/source-wave.ts";

const data = pageData<SourcePage>(),
  { rate, sample_rate: sr, id } = data;
let { source, uses, revision } = data.state;
const length = source.samples || sampleOf(source.frames ?? 0, rate, sr);
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
let mark: Mark = {};
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
  wave.reveal(at, 0);
}

const tick = eachFrame(() => {
  if (audio.paused) return false;
  at = Math.min(length, Math.round(audio.currentTime * sr));
  wave.reveal(at, 20);
  return true;
});
audio.addEventListener("play", tick);

// --- drawing ---

setUpWaves(sr, data.media.peak_steps, data.media.tile_bins, () => wave.repaint());
const pictures = new Pictures(rate, data.media, () => wave.repaint());
const clock = (n: number) => timecode(frameOf(n, rate, sr), rate);
const heard = new SourceHeard({
  scene: id,
  sampleRate: sr,
  source: () => source,
  at: () => at,
  stretch,
  edit: (e) => void edit(e),
  arrived: () => {
    Object.assign(panel, heard.words());
    wave.repaint();
  },
});
const wave = new SourceWave($("source-wave"), $("overview"), {
  source: () => source,
  uses: () => uses,
  chosen: shownClip,
  moment: shownMoment,
  length,
  at: () => at,
  mark: () => mark,
  onFrame: (n) => (source.frames ? sampleOf(nearestFrame(n, rate, sr), rate, sr) : Math.round(n)),
  seek,
  setMark,
  painted: showMoment,
  heard: () => heard.now(),
});

/** Shows the time and the picture of where it plays. */
function showMoment(): void {
  $("source-time").textContent = clock(at);
  if (panel) Object.assign(panel, heard.words());
  if (!source.frames) return;
  const f = Math.min(source.frames - 1, frameOf(at, rate, sr));
  if (!pictures.fetch(source.id, f, source.frames)) return;
  const canvas = $<HTMLCanvasElement>("source-picture");
  const { c, width, height } = sharpen(canvas);
  pictures.draw(c, source.id, f, 0, 0, width, height);
  canvas.dataset.frame = String(f);
}

// --- the mark ---

function setMark(m: Mark): void {
  mark = m;
  showMark();
  wave.repaint();
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
  ({ source, uses, revision } = await get<SourceState>(`/scenes/${id}/sources/${source.id}/state`));
  show();
}

/** Takes stretches out to the chosen track, or to one that is made for them: then the page offers it from there on. */
async function take(what: object): Promise<{ words: string }> {
  const { words, on } = await takenOut(id, source.id, data.kind, String(panel.track), what);
  if (on) [panel.tracks, panel.track] = [[...data.tracks.filter((t) => t.id), on], on.id];
  return { words };
}

const takeOut = (names: string[], playhead: boolean): void =>
  void edit(() => take({ names, at: playhead ? place.get(id).playhead : -1, how: playhead ? "insert" : "" }));

/** What every clip of the recording gets, wherever it is laid. */
const laid = () => ({ track: panel.track, source: source.id, name: String(panel.stretchName).trim() });

function put(how: string): void {
  const s = stretch();
  if (!s) return say("Nothing is marked. Drag over the waveform first.");
  if (!panel.track) {
    const marked = { name: String(panel.stretchName).trim(), ...s };
    return void edit(() => take({ marked, at: place.get(id).playhead, how }));
  }
  const picture = data.picture && data.tracks.some((t) => t.id === panel.track) ? { picture: data.picture } : {};
  const span = { in: s.from, length: s.to - s.from, start: place.get(id).playhead };
  void edit({ edit: "add", ...laid(), ...picture, ...span, how });
}

function fill(fit: "start" | "end" | "moment"): void {
  if (!panel.track)
    return say("There is no track for it yet. Take it out at the end of the track first: that makes one.");
  const e = fillEdit(place.get(id), fit, stretch(), at);
  if (typeof e === "string") return say(e);
  void edit({ ...laid(), ...(data.picture ? { picture: data.picture } : {}), ...e });
}

// --- keys ---

const does: Record<string, () => void> = {
  play: () => {
    if (!source.samples) return say("This recording has no sound to play; step through it with the arrow keys.");
    if (audio.paused) audio.play().catch(() => {});
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
  closer: () => wave.zoom(1 / 1.6),
  wider: () => wave.zoom(1.6),
  whole: () => wave.whole(1),
  ...heard.commands(),
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

listenForCommands(
  () => data.commands.filter((c) => does[c.id]),
  (command) => does[command]?.(),
);

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
  panel.startText = timecode(frameOf(source.offset ?? 0, rate, sr), rate);
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
  wave.repaint();
}

function showPlaying(): void {
  panel.playMark = audio.paused ? "▶" : "■";
  panel.playWords = audio.paused ? "Play" : "Stop";
}

Alpine.data("source", () => ({
  ...unheard,
  name: source.name,
  track: data.offered,
  tracks: data.tracks,
  hasPicture: !!source.frames,
  ...stretchFiles(id, source.id, data.kinds, (work) => queue.then(work).catch(say)),
  stretches: [] as ReturnType<typeof rowOf>[],
  uses: [] as unknown[],
  init() {
    panel = this as unknown as Panel;
    const clip = shownMoment();
    void Alpine.nextTick(() => {
      show();
      if (clip) {
        wave.showSpan(clip.in, clip.out, 0.2);
        seek(clip.in);
      } else wave.whole(1);
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
      to = momentOf(input.value, 0, rate, sr);
    if (input.value.trim() === "") return setMark({ ...mark, [end]: undefined });
    if (to === undefined) {
      return void refuseFigure(
        `"${input.value}" is no time in the recording. Write minutes, seconds and frames (00:12:05), or seconds.`,
      );
    }
    setMark({ ...mark, [end]: Math.min(length, to) });
  },
  typeStart(e: Event) {
    const typed = (e.target as HTMLInputElement).value,
      offset = momentOf(typed, 0, rate, sr);
    if (offset !== undefined) return void edit({ edit: "set_start", source: source.id, offset });
    refuseFigure(`"${typed}" is no timecode. Write hours, minutes, seconds and frames (10:00:00:00).`);
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
    wave.showSpan(s.from, s.to, 0.2);
    seek(s.from);
    show();
  },
  drop(s: Stretch) {
    void edit({ edit: "drop_stretch", source: source.id, name: s.name });
  },
  showUse(u: Use) {
    wave.showSpan(u.in, u.out, 0.2);
    seek(u.in);
  },
}));

listen(id, { edited: () => void queue.then(refresh).catch(say) });
document.addEventListener("light", () => wave.repaint());

registerFigures();
registerToast();
Alpine.start();
