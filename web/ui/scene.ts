// The scene's page: puts the views together and says what each command does. What an edit does is decided by the server.
import Alpine from "@alpinejs/csp";
import { Problem, get, pageData, pageName, post } from "./api.ts";
import { Bench, type BenchView, type Seam, leaning, oneFrame } from "./bench.ts";
import { type Card, clipCard, emptyCard, sceneCard, seamCard } from "./card.ts";
import { type Command, commandFor, keyName, search } from "./keys.ts";
import { Meter } from "./meter.ts";
import { type Blend, type Changes, type Clip, type Scene, type Track, applyChanges, blendAt, clipAt, endOf, findClip, prepare } from "./model.ts";
import { sharpen } from "./paint.ts";
import { Pictures, type Sheets } from "./pictures.ts";
import { Player } from "./player.ts";
import { SeamList, name } from "./seams.ts";
import { Timeline } from "./timeline.ts";
import { type Rate, frameOf, frames, sampleOf, timecode } from "./time.ts";
import { registerToast, say } from "./toast.ts";
import { setUpWaves } from "./waves.ts";

interface Law { law: string; name: string; about: string }
interface Data { id: string; state: Scene; rate: Rate; commands: Command[]; laws: Law[]; media: Sheets & { peak_steps: number[]; tile_bins: number } }
interface EditAnswer { revision: number; words: string; undo: string; redo: string; changes: Changes }

const data = pageData<Data>(), { id: sceneID, rate } = data;
const scene = prepare(data.state, rate), sr = scene.sample_rate, frame = oneFrame(rate, sr);
const $ = <T extends HTMLElement>(id: string) => document.getElementById(id) as T;

let playhead = 0;
let selection: { kind: "none" } | { kind: "seam" } | { kind: "clip"; id: string; edge?: "head" | "tail" } = { kind: "none" };
let mode = "blended"; // what the last audition was
let law = "constant_power";
let panel: Panel; // set when Alpine has begun

// --- views ---

const player = new Player(sceneID, sr, () => showPlaying());
const meter = new Meter($("meter"));
const pictures = new Pictures(rate, data.media, () => { timeline.repaint(); showPictures(); });
setUpWaves(sr, data.media.peak_steps, data.media.tile_bins, () => timeline.repaint());

const timeline = new Timeline($("timeline"), $("heads"), $("tag"), {
  scene: () => scene, rate, pictures,
  playhead: () => playhead,
  seek: (at) => seek(at),
  selectedClip: () => (selection.kind === "clip" ? selection.id : ""),
  selectedSeam: () => list.current,
  selectClip: (id, edge) => select({ kind: "clip", id, edge }),
  selectCut: (left, right) => {
    const s = list.all.find((x) => x.left === left && x.right === right);
    if (s) selectSeam(s);
  },
  selectNothing: () => select({ kind: "none" }),
  edit: (e) => void edit(e),
});

const bench = new Bench($("bench"), {
  sceneID, sampleRate: sr, rate,
  thread: () => scene.tracks.find((t) => t.id === bench.seam?.track)?.purpose ?? "dialogue",
  playhead: () => playhead,
  setBlend: (before, after) => void setBlend(before, after),
  rollTo: (to) => bench.seam && void edit({ edit: "roll", left: bench.seam.left, right: bench.seam.right, to }),
  loaded: (v) => showBlend(v),
  failed: (e) => say(e),
});

const list = new SeamList($("seams"), (s) => selectSeam(s));

// --- edits ---

let queue: Promise<unknown> = Promise.resolve();

/** Sends an edit after those under way, so that each knows the revision it follows. One that depends on where things are
 *  by then is a function, which may also give nothing. */
function edit(e: unknown | (() => unknown)): Promise<boolean> {
  return inTurn(async () => {
    const now = typeof e === "function" ? e() : e;
    return now ? post<EditAnswer>(`/scenes/${sceneID}/edits`, { revision: scene.revision, edit: now, page: pageName }) : undefined;
  });
}

function inTurn(ask: () => Promise<EditAnswer | undefined>): Promise<boolean> {
  const done = queue.then(async () => {
    panel.kept = "Keeping …";
    try {
      const a = await ask();
      if (a) take(a);
      else panel.kept = keptWords();
      return !!a;
    } catch (e) {
      panel.kept = keptWords();
      if (e instanceof Problem && e.status === 409) await catchUp();
      bench.lean = undefined;
      bench.repaint();
      say(e, (offer) => void edit(offer.edit));
      return false;
    }
  });
  queue = done;
  return done;
}

const keptWords = () => (scene.revision ? `All kept · edit ${scene.revision}` : "All kept");

function take(a: EditAnswer): void {
  scene.revision = a.revision;
  [scene.undo, scene.redo] = [a.undo, a.redo];
  applyChanges(scene, rate, a.changes);
  changed();
  panel.kept = `All kept · edit ${a.revision}`;
}

/** Everything that shows the scene shows it anew. */
function changed(): void {
  if (list.current?.kind === "cut") {
    bench.take(blendNow());
    if (bench.data) showBlend(bench.data);
  }
  timeline.repaint();
  showScene();
  void loadSeams();
  if (player.playing && player.what === "scene") void play(player.position());
}

/** Fetches the scene as it is now, after an edit from elsewhere. */
async function catchUp(): Promise<void> {
  try {
    const now = await get<Scene>(`/scenes/${sceneID}/state`);
    if (now.revision < scene.revision) return;
    Object.assign(scene, prepare(now, rate));
    changed();
    panel.kept = keptWords();
  } catch (e) {
    say(e);
  }
}

let asking = false, again = false;

async function loadSeams(): Promise<void> {
  if (asking) {
    again = true;
    return;
  }
  asking = true;
  try {
    do {
      again = false;
      const got = await get<{ revision: number; pending: number; seams: Seam[] }>(`/scenes/${sceneID}/seams`);
      if (got.revision < scene.revision) {
        again = true;
        continue;
      }
      const before = list.current;
      list.set(got.seams);
      if (before) {
        const still = list.current ?? got.seams.find((s) => s.track === before.track && Math.abs(s.at - before.at) < sr / 2);
        list.chosen = still?.id ?? "";
        bench.show(still);
      }
      showScene();
      timeline.repaint();
      if (got.pending) {
        await new Promise((done) => setTimeout(done, 250));
        again = true;
      }
    } while (again);
  } catch (e) {
    say(e);
  } finally {
    asking = false;
  }
}

// --- selection ---

function select(s: typeof selection): void {
  selection = s;
  timeline.repaint();
  showScene();
}

function selectSeam(s: Seam, reveal = true): void {
  selection = { kind: "seam" };
  list.select(s.id);
  bench.show(s);
  if (!player.playing) seek(s.at);
  if (reveal) timeline.reveal(s.at);
  timeline.repaint();
  showScene();
}

function chosenClip(): { track: Track; clip: Clip; index: number } | undefined {
  return selection.kind === "clip" ? findClip(scene, selection.id) : undefined;
}

/** The clip that a command is about: the selected one if the playhead is over it or it need not be, else what lies under the playhead. */
function clipInHand(under: boolean): { track: Track; clip: Clip } | undefined {
  const c = chosenClip();
  if (c && (!under || (c.clip.from <= playhead && playhead <= c.clip.to))) return c;
  const seamTrack = list.current && selection.kind === "seam" ? scene.tracks.find((t) => t.id === list.current!.track) : undefined;
  for (const t of [...(seamTrack ? [seamTrack] : []), ...scene.tracks.filter((x) => x.kind === "sound"), ...scene.tracks]) {
    const clip = clipAt(t, playhead);
    if (clip) return { track: t, clip };
  }
  return undefined;
}

// --- playing ---

function seek(at: number): void {
  playhead = Math.max(0, at);
  if (player.playing && player.what === "scene") void play(playhead);
  else if (player.playing) player.stop();
  showPlayhead();
}

async function play(from = playhead): Promise<void> {
  const end = endOf(scene);
  if (end === 0) return say("Nothing is laid out yet, so there is nothing to hear. Bring recordings in on the page of sources.");
  try {
    await player.play(from >= end ? 0 : from, end);
  } catch (e) {
    say(e);
  }
}

const ROLL = 1.5; // seconds of pre-roll and post-roll

async function audition(what: string): Promise<void> {
  const s = list.current;
  if (!s) return say("No seam is chosen. Choose one in the list, or press Down for the next.");
  const side = what === "outgoing" ? s.left : what === "incoming" ? s.right : "";
  if ((what === "outgoing" && !s.left) || (what === "incoming" && !s.right)) return say(`There is no ${what} clip at this seam: ${name(s)}.`);
  mode = what;
  const from = Math.max(0, Math.floor(s.from - ROLL * sr)), to = Math.ceil(s.to + ROLL * sr);
  showMode();
  try {
    await player.play(from, to, what === "plain" ? "plain" : side || "scene");
    if (!player.playing) {
      playhead = s.at;
      showPlayhead();
    }
  } catch (e) {
    say(e);
  }
}

let last = performance.now();
function tick(now: number): void {
  if (player.playing) {
    playhead = player.position();
    showPlayhead();
    const x = (playhead - timeline.view.from) / timeline.view.perPixel;
    if (player.what === "scene" && (x > $("timeline").clientWidth - 30 || x < 0)) timeline.reveal(playhead);
  }
  if (player.playing || meter.lit) meter.show(player.peaks(), (now - last) / 1000);
  last = now;
  requestAnimationFrame(tick);
}

// --- what is shown ---

let shownFrame = -1;

function showPlayhead(): void {
  const f = frameOf(playhead, rate, sr);
  $("timecode").textContent = timecode(scene.start_frame + f, rate);
  timeline.repaint();
  bench.repaint();
  if (f !== shownFrame) {
    shownFrame = f;
    showPictures();
  }
}

function showPictures(): void {
  const track = scene.tracks.find((t) => t.kind === "picture");
  const draw = (canvas: HTMLCanvasElement, f: number) => {
    const { c, width, height } = sharpen(canvas);
    c.fillStyle = "#0d0b0a";
    c.fillRect(0, 0, width, height);
    const at = sampleOf(f, rate, sr), clip = track && clipAt(track, at);
    if (clip) pictures.draw(c, clip.source, clip.in + f - clip.start, 0, 0, width, height);
  };
  draw($("picture"), frameOf(playhead, rate, sr));
  const s = list.current;
  if (!s) return;
  const cut = frameOf(s.at, rate, sr);
  draw($("out-picture"), Math.max(0, cut - 1));
  draw($("in-picture"), cut);
}

function showPlaying(): void {
  if (player.playing) meter.reset();
  if (!panel) return;
  panel.playMark = player.playing ? "■" : "▶";
  panel.playWords = player.playing ? "Stop" : "Play";
}

function showMode(): void {
  for (const [key, m] of [["modePlain", "plain"], ["modeBlended", "blended"], ["modeOutgoing", "outgoing"], ["modeIncoming", "incoming"]] as const) panel[key] = m === mode ? "on" : "";
}

function showBlend(v: BenchView): void {
  const s = list.current;
  if (!s) return;
  law = v.law ?? law;
  panel.laws = data.laws.map((l) => ({ law: l.law, name: l.name, use: l.about, tone: l.law === v.law ? "on" : "", pressed: String(l.law === v.law) }));
  const n = v.before + v.after;
  panel.lengthText = v.law ? `${frames(n, rate, sr).replace(/ frames?/, "")} frames` : "no blend";
  panel.lean = n ? Math.round((200 * v.after) / n - 100) : 0;
  panel.leanWords = v.law ? leanWords(v.before, v.after) : "";
  benchWords();
}

function leanWords(before: number, after: number): string {
  const f = (n: number) => frames(n, rate, sr).replace(/ frames?/, "");
  return before === after ? "centred" : `${f(before)} + ${f(after)} frames`;
}

function benchWords(): void {
  const s = list.current;
  panel.benchTitle = s ? `Seam ${list.number(s)} of ${list.all.length}` : "Bench";
  panel.isCut = s?.kind === "cut";
  if (!s) {
    panel.benchAbout = list.all.length ? "Down takes the first seam in hand" : "";
    panel.outTC = panel.inTC = "";
    return;
  }
  const n = bench.seconds();
  panel.benchAbout = `${name(s)} · ${n >= 0.1 ? `${n.toFixed(1)} s` : `${(n * 1000).toFixed(1)} ms`} shown`;
  const cut = frameOf(s.at, rate, sr);
  panel.outTC = timecode(scene.start_frame + Math.max(0, cut - 1), rate);
  panel.inTC = timecode(scene.start_frame + cut, rate);
}

function showScene(): void {
  const count = (v: string) => list.all.filter((s) => s.verdict === v).length, pending = count("");
  const end = frameOf(endOf(scene), rate, sr), whole = timecode(end, rate);
  panel.about = `${rate.nominal === rate.num / rate.den ? rate.nominal : (rate.num / rate.den).toFixed(2)} fps · ${whole.slice(0, 2) === "00" ? whole.slice(3, 8) : whole.slice(0, 8)} long`;
  panel.seamCount = `${list.all.length} ${list.all.length === 1 ? "seam" : "seams"}`;
  panel.verdictCount = pending ? `${pending} being measured` : `${count("rough")} rough · ${count("audible")} audible · ${count("clean")} clean`;
  panel.hasPicture = scene.tracks.some((t) => t.kind === "picture");
  [panel.noUndo, panel.noRedo] = [!scene.undo, !scene.redo];
  panel.undoWords = scene.undo ? `Undo: ${scene.undo}` : "Nothing to undo";
  panel.redoWords = scene.redo ? `Redo: ${scene.redo}` : "Nothing to redo";
  const c = chosenClip(), s = list.current;
  if (selection.kind === "clip" && c) panel.card = clipCard(c.track, c.clip, scene, rate, selection.edge);
  else if (selection.kind === "seam" && s) panel.card = seamCard(s, list.number(s), scene, rate);
  else panel.card = sceneCard(scene, rate);
  benchWords();
  showPictures();
}

// --- what commands do ---

/** The blend of the seam in hand as the scene has it now. */
function blendNow(): Blend | undefined {
  const s = list.current, track = s && scene.tracks.find((t) => t.id === s.track);
  return track && blendAt(track, s.left, s.right);
}

const HALF = 2; // frames on each side of a new blend: four in all, as speech cuts usually get

async function setBlend(before: number, after: number, by = law): Promise<void> {
  const s = list.current;
  if (s?.kind === "cut") await edit({ edit: "set_blend", left: s.left, right: s.right, before, after, law: by });
}

function needCut(): Seam | undefined {
  const s = list.current;
  if (s?.kind === "cut") return s;
  say(s ? "This seam is not a cut between two touching clips, so there is nothing to blend. Move one clip up to the other first." : "No seam is chosen. Choose a cut in the list or in the timeline.");
  return undefined;
}

function trimHere(edge: "head" | "tail", close: boolean): void {
  const hit = clipInHand(true);
  if (!hit) return say("No clip lies under the playhead. Move it over the clip to trim.");
  void edit({ edit: "trim", clip: hit.clip.id, edge, to: playhead, close });
}

function moveEdge(by: number): void {
  const c = chosenClip(), s = list.current, moved = (at: number) => sampleOf(frameOf(at + frame / 2, rate, sr) + by, rate, sr);
  const trim = (id: string, edge: "head" | "tail") => void edit(() => {
    const now = findClip(scene, id);
    return now && { edit: "trim", clip: id, edge, to: moved(edge === "head" ? now.clip.from : now.clip.to) };
  });
  if (selection.kind === "clip" && c) {
    if (!selection.edge) return say("No edge is in hand. Click a clip's head or tail, or a cut.");
    return trim(c.clip.id, selection.edge);
  }
  if (!s) return say("No edge is in hand. Click a clip's head or tail, or choose a seam.");
  if (s.kind !== "cut") return trim(s.left || s.right, s.left ? "tail" : "head");
  const { left, right } = s;
  void edit(() => {
    const now = findClip(scene, right);
    return now && { edit: "roll", left, right, to: moved(now.clip.from) };
  });
}

function turn(by: number): void {
  const c = chosenClip();
  if (!c) return say("No clip is selected. Select one in the timeline to turn it up or down.");
  void edit(() => {
    const now = findClip(scene, c.clip.id);
    return now && { edit: "gain", clips: [c.clip.id], db: Math.round(10 * ((now.clip.gain_db ?? 0) + by)) / 10 };
  });
}

function removeClip(close: boolean): void {
  const c = chosenClip();
  if (!c) return say("No clip is selected. Select one in the timeline to remove it.");
  void edit({ edit: "remove", clips: [c.clip.id], close });
}

function toggleLink(): void {
  const c = chosenClip();
  if (!c) return say("No clip is selected. Select one in the timeline to link or unlink it.");
  if (c.clip.link) return void edit({ edit: "unlink", clips: scene.tracks.flatMap((t) => t.clips).filter((x) => x.link === c.clip.link).map((x) => x.id) });
  const mid = (c.clip.from + c.clip.to) / 2;
  const others = scene.tracks.filter((t) => t.kind !== c.track.kind).map((t) => clipAt(t, mid)).filter((x): x is Clip => !!x && !x.link);
  if (!others.length) return say(`No unlinked clip of ${c.track.kind === "sound" ? "picture" : "sound"} lies with ${c.clip.name}, so there is nothing to link it to.`);
  void edit({ edit: "link", clips: [c.clip.id, others[0].id] });
}

const travel = (which: "undo" | "redo") => void inTurn(() => post<EditAnswer>(`/scenes/${sceneID}/${which}`, { revision: scene.revision, page: pageName }));
const toFrame = (n: number) => seek(sampleOf(Math.max(0, n), rate, sr));
const stepFrames = (n: number) => toFrame(frameOf(playhead, rate, sr) + n);
const stepSeam = (n: number) => {
  const s = list.step(n, playhead);
  if (s) selectSeam(s);
  else say("The scene has no seam yet.");
};
const zoomBench = (f: number) => {
  bench.zoom(f);
  benchWords();
};

const does: Record<string, () => void> = {
  play: () => (player.playing ? player.stop() : void play()),
  audition: () => (player.playing && player.what !== "scene" ? player.stop() : void audition(mode)),
  hear_plain: () => void audition("plain"), hear_blended: () => void audition("blended"),
  hear_outgoing: () => void audition("outgoing"), hear_incoming: () => void audition("incoming"),
  next_seam: () => stepSeam(1), previous_seam: () => stepSeam(-1),
  frame_earlier: () => stepFrames(-1), frame_later: () => stepFrames(1),
  second_earlier: () => stepFrames(-rate.nominal), second_later: () => stepFrames(rate.nominal),
  to_start: () => seek(0), to_end: () => seek(endOf(scene)),
  blend: () => needCut() && void setBlend(HALF * frame, HALF * frame),
  blend_off: () => {
    const s = needCut();
    if (s) void edit({ edit: "remove_blend", left: s.left, right: s.right });
  },
  open_here: () => trimHere("head", true), open_here_gap: () => trimHere("head", false),
  close_here: () => trimHere("tail", true), close_here_gap: () => trimHere("tail", false),
  divide: () => {
    const hit = clipInHand(true);
    void edit({ edit: "divide", clips: hit ? [hit.clip.id] : [], at: playhead });
  },
  remove: () => removeClip(false), remove_close: () => removeClip(true),
  edge_earlier: () => moveEdge(-1), edge_later: () => moveEdge(1), edge_earlier_5: () => moveEdge(-5), edge_later_5: () => moveEdge(5),
  gain_down: () => turn(-1), gain_up: () => turn(1),
  link: toggleLink,
  marker: () => void edit({ edit: "add_marker", at: playhead, name: `marker ${(scene.markers?.length ?? 0) + 1}` }),
  snapping: () => {
    timeline.snapping = !timeline.snapping;
    panel.snapClass = timeline.snapping ? "on" : "";
    panel.snapPressed = String(timeline.snapping);
  },
  closer: () => timeline.zoom(1 / 1.6), wider: () => timeline.zoom(1.6), whole: () => timeline.whole(),
  bench_closer: () => zoomBench(1 / 1.8), bench_wider: () => zoomBench(1.8),
  undo: () => travel("undo"), redo: () => travel("redo"),
  order: () => (list.worst ? panel.byTime() : panel.worstFirst()),
  light: () => document.querySelector<HTMLElement>("[data-light]")!.click(),
  sources: () => location.assign(`/scenes/${sceneID}/sources`), hand_over: () => location.assign(`/scenes/${sceneID}/hand-over`),
  scene_file: () => location.assign(`/scenes/${sceneID}/scene.otio`),
  search: () => panel.openSearch(), keys: () => panel.openKeys(),
};

function run(id: string): void {
  does[id]?.();
}

document.addEventListener("click", (e) => {
  const b = (e.target as Element).closest<HTMLElement>("[data-command]");
  if (b) run(b.dataset.command!);
});

document.addEventListener("keydown", (e) => {
  const el = e.target as HTMLElement, dialog = el.closest("dialog"); // one just closed may still have the focus
  if (dialog?.open || e.isComposing || (!dialog && el.matches("input, select, textarea") && !el.matches("[type=range]"))) return;
  if (el.matches("[type=range]") && e.key.startsWith("Arrow")) return;
  const c = commandFor(data.commands, e);
  if (!c || (el.matches("button, a") && (e.key === "Enter" || e.key === " "))) return;
  e.preventDefault();
  run(c.id);
});

// --- panels ---

interface Found { id: string; words: string; key: string; tone: string; selected: string }
interface Panel {
  [key: string]: unknown;
  card: Card; laws: { law: string; name: string; use: string; tone: string; pressed: string }[]; found: Found[];
  byTime(): void; worstFirst(): void; openSearch(): void; openKeys(): void; $refs: Record<string, HTMLElement>;
}

Alpine.data("scene", () => ({
  about: "", kept: "All kept", playMark: "▶", playWords: "Play", seamCount: "", verdictCount: "", hasPicture: false,
  byTimeClass: "on", worstClass: "", byTimePressed: "true", worstPressed: "false",
  benchTitle: "Bench", benchAbout: "", outTC: "", inTC: "", isCut: false, laws: [] as Panel["laws"], lengthText: "", lean: 0, leanWords: "",
  modePlain: "", modeBlended: "on", modeOutgoing: "", modeIncoming: "", snapClass: "on", snapPressed: "true",
  card: emptyCard, noUndo: true, noRedo: true, undoWords: "", redoWords: "", query: "", found: [] as Found[], notFound: false, at: 0,

  init() {
    panel = this as unknown as Panel;
    timeline.whole();
    showScene();
    panel.kept = keptWords();
    showPlayhead();
    void loadSeams();
    meter.show([], 0);
    requestAnimationFrame(tick);
  },
  byTime() { order(false); },
  worstFirst() { order(true); },
  setLaw(by: string) {
    const b = blendNow();
    law = by;
    void setBlend(b?.before ?? HALF * frame, b?.after ?? HALF * frame, by);
  },
  shorter() { lengthen(-frame); },
  longer() { lengthen(frame); },
  typeLength(e: Event) {
    const input = e.target as HTMLInputElement, m = /^\s*([\d.]+)\s*(ms|s|f|frames?)?\s*$/.exec(input.value);
    if (!m || !needCut()) {
      input.value = panel.lengthText as string;
      return say(`"${input.value}" is not a length. Write frames (6), milliseconds (240 ms) or seconds (1.5 s).`);
    }
    const n = Number(m[1]), samples = m[2] === "ms" ? (n * sr) / 1000 : m[2] === "s" ? n * sr : (n * rate.den * sr) / rate.num;
    setLength(() => Math.round(samples));
  },
  showLean(e: Event) {
    const b = blendNow();
    if (!b) return;
    bench.lean = leaning(b.before + b.after, Number((e.target as HTMLInputElement).value) / 100);
    panel.leanWords = leanWords(bench.lean.before, bench.lean.after);
    bench.repaint();
  },
  setLean(e: Event) {
    const b = blendNow();
    if (!b) return say("This cut has no blend yet. Press B to blend it.");
    const { before, after } = leaning(b.before + b.after, Number((e.target as HTMLInputElement).value) / 100);
    void setBlend(before, after);
  },
  typeGain(e: Event) {
    const input = e.target as HTMLInputElement, m = /^\s*([+-−]?\s*[\d.]+)\s*(dB)?\s*$/i.exec(input.value), c = chosenClip();
    if (!m || !c) {
      input.value = panel.card.gainText;
      return say("A gain is a number of dB, such as -3.5.");
    }
    void edit({ edit: "gain", clips: [c.clip.id], db: Number(m[1].replace("−", "-").replace(/\s/g, "")) });
  },
  act(command: string) { run(command); },

  openSearch() {
    panel.query = "";
    (this as unknown as { look(): void }).look();
    (panel.$refs.search as HTMLDialogElement).showModal();
  },
  openKeys() { (panel.$refs.keys as HTMLDialogElement).showModal(); },
  look() {
    panel.at = 0;
    showFound();
  },
  searchKey(e: KeyboardEvent) {
    if (e.key === "ArrowDown" || e.key === "ArrowUp") {
      e.preventDefault();
      panel.at = Math.max(0, Math.min(panel.found.length - 1, (panel.at as number) + (e.key === "ArrowDown" ? 1 : -1)));
      showFound();
    } else if (e.key === "Enter") {
      e.preventDefault();
      const c = panel.found[panel.at as number];
      if (c) (this as unknown as { choose(id: string): void }).choose(c.id);
    }
  },
  choose(id: string) {
    (panel.$refs.search as HTMLDialogElement).close();
    run(id);
  },
}));

function showFound(): void {
  panel.found = search(data.commands, panel.query as string).map((c, i) => ({ id: c.id, words: c.words, key: keyName(c), tone: i === panel.at ? "at" : "", selected: String(i === panel.at) }));
  panel.notFound = panel.found.length === 0;
}

function order(worst: boolean): void {
  list.worst = worst;
  list.sort();
  [panel.byTimeClass, panel.worstClass, panel.byTimePressed, panel.worstPressed] = worst ? ["", "on", "false", "true"] : ["on", "", "true", "false"];
}

/** Gives the blend another length, leaning as it does; from what it is when the edit's turn comes. */
function setLength(length: (was: number) => number): void {
  const s = needCut();
  if (!s) return;
  void edit(() => {
    const b = blendNow(), was = b ? b.before + b.after : 0;
    return { edit: "set_blend", left: s.left, right: s.right, law: b?.law ?? law, ...leaning(length(was), b ? (2 * b.after) / was - 1 : 0) };
  });
}

const lengthen = (by: number) => setLength((was) => (was ? Math.max(frame, was + by) : 2 * HALF * frame));

// --- news from elsewhere ---

const news = new EventSource(`/events?scene=${sceneID}`);
news.addEventListener("edit", (e) => {
  const m = JSON.parse((e as MessageEvent).data) as { revision: number; words: string; page?: string };
  if (m.page === pageName || m.revision <= scene.revision) return;
  void queue.then(async () => {
    if (m.revision <= scene.revision) return;
    await catchUp();
    say(`Edited elsewhere: ${m.words}. This page shows it now.`);
  });
});

document.addEventListener("light", () => {
  meter.show([], 0);
  timeline.repaint();
  bench.repaint();
});
void document.fonts.ready.then(() => {
  timeline.repaint();
  bench.repaint();
});

registerToast();
Alpine.start();
