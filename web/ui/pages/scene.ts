// The scene's page: puts the views together. What commands do is in the modules of their kind; what an edit does is
// decided by the server.
import Alpine from "@alpinejs/csp";
import { Bench, type BenchView, canBlend, leaning, oneFrame, type Seam } from "../bench/bench.ts";
import { Meter } from "../bench/meter.ts";
import { Player } from "../bench/player.ts";
import { type Figure, PictureView } from "../bench/stills.ts";
import { marked, pieces, place } from "../commands/clipboard.ts";
import { type Command, commandFor, keyName, search } from "../commands/keys.ts";
import { Mending, registerList, type Style } from "../commands/mending.ts";
import { clipsInHand, edges, moves } from "../commands/moves.ts";
import { places } from "../commands/places.ts";
import { Edits, type Question, type Stage, staying } from "../commands/stage.ts";
import { Toning } from "../commands/toning.ts";
import { shownOf, tracks } from "../commands/tracks.ts";
import { afterPaint, sizeOf, threadOf } from "../drawing/paint.ts";
import { Pictures, type Sheets } from "../drawing/pictures.ts";
import { setUpWaves } from "../drawing/waves.ts";
import { get, pageData, pageName } from "../model/api.ts";
import { bends, type Law, type Shape, setUpCurves } from "../model/curves.ts";
import { type Blend, blendAt, type Curve, edgeAt, endOf, findClip, prepare, type Scene } from "../model/scene.ts";
import { type SeamEdge, type Selection, still, withClip, withEdge } from "../model/selection.ts";
import { frameOf, frames, inSamples, lengthOf, parseTimecode, type Rate, sampleOf, timecode } from "../model/time.ts";
import {
  type About,
  type Card,
  clipCard,
  clipsCard,
  edgesCard,
  emptyCard,
  type Measure,
  markerCard,
  rangeCard,
  sceneCard,
  seamCard,
  trackCard,
} from "../panels/card.ts";
import { registerChoices } from "../panels/choices.ts";
import { registerFigures } from "../panels/figure.ts";
import { openPast, registerPast } from "../panels/past.ts";
import { leadOf, merged, name, type SeamAnswer, SeamList } from "../panels/seams.ts";
import { registerToast, say } from "../panels/toast.ts";
import { Timeline } from "../timeline/timeline.ts";

interface Data {
  id: string;
  state: Scene;
  rate: Rate;
  commands: Command[];
  hues: string[];
  laws: Law[];
  shapes: Shape[];
  blends: Style[];
  measures: Measure[];
  media: Sheets & { peak_steps: number[]; tile_bins: number };
  formats: { name: string; ending: string; lacks: string[] }[];
}

const data = pageData<Data>(),
  { id: sceneID, rate } = data;
setUpCurves(data);
const scene = prepare(data.state, rate),
  sr = scene.sample_rate,
  frame = oneFrame(rate, sr);
const $ = <T extends HTMLElement>(id: string) => document.getElementById(id) as T;

let commands = data.commands;
let mode = "blended"; // what the last audition was
let law = "constant_power";
let offsets: Record<string, number> = {};
let curves: { out?: Curve; in?: Curve } = {}; // the sides' own shapes, where they do not follow the law
let sidesLinked = true; // a shape chosen for one side is taken for the other too
let pulls = false; // blends pull the clips together
let closes = ""; // what closing up the clip in hand would leave behind, in words
let panel: Panel; // set when Alpine has begun

// --- views ---

const edits = new Edits(sceneID, scene, rate, {
  changed: () => changed(),
  kept: (words, did) => {
    panel.kept = words;
    if (did) panel.did = did;
  },
  failed: () => {
    bench.lean = undefined;
    bench.repaint();
  },
});
const { edit } = edits;

const player = new Player(sceneID, sr, () => showPlaying());
const meter = new Meter($("meter"));
const pictures = new Pictures(rate, data.media, () => {
  timeline.repaint();
  view.playhead(true);
  view.bench();
});
setUpWaves(sr, data.media.peak_steps, data.media.tile_bins, () => timeline.repaint(), `/scenes/${sceneID}/tones`);

const timeline = new Timeline($("timeline"), $("heads"), $("tag"), {
  scene: () => scene,
  rate,
  pictures,
  shown: () => stage.shown,
  playhead: () => stage.playhead,
  seek: (at) => seek(at),
  selection: () => stage.selection,
  selectedSeam: () => list.current && bench.seam,
  edgesInHand: () => (stage.selection.kind === "none" ? [] : edges(stage)),
  leads: () => list.led.map((s) => ({ track: s.track, at: s.at, lead: s.lead! })),
  offsets: () => offsets,
  select: (s) => select(s),
  clipClicked: (id, more, edge) => {
    if (more && edge) select(withEdge(stage.selection, seamEdge(), edge === "head" ? { right: id } : { left: id }));
    else if (more) select(withClip(stage.selection, id));
    else select({ kind: "clips", ids: [id], ...(edge ? { edge } : {}) });
  },
  cutClicked: (left, right, more) => {
    const s = list.all.find((x) => x.left === left && x.right === right);
    if (more) select(withEdge(stage.selection, seamEdge(), { left, right }));
    else if (s) selectSeam(s);
    else select({ kind: "edges", edges: [{ left, right }] });
  },
  lullClicked: (clip, lull) => {
    const s = list.all.find((x) => x.kind === "lull" && x.left === clip && x.lull === lull);
    if (s) selectSeam(s, false);
    else select({ kind: "clips", ids: [clip] });
  },
  selectedTracks: () =>
    stage.selection.kind === "track"
      ? [stage.selection.id]
      : stage.selection.kind === "range"
        ? stage.selection.tracks
        : [],
  selectTrack: (id, more) => {
    const sel = stage.selection;
    if (sel.kind === "range" && !sel.gap)
      select({
        ...sel,
        tracks: more ? (sel.tracks.includes(id) ? sel.tracks.filter((x) => x !== id) : [...sel.tracks, id]) : [id],
      });
    else select({ kind: "track", id });
  },
  edit: (e) => void edit(e),
  try: (e) => edits.try(e),
  dragging: (stills) => {
    view.drag(stills);
    showStills();
  },
});

const bench = new Bench($("bench"), {
  sceneID,
  sampleRate: sr,
  rate,
  thread: () => threadOf(scene.tracks.find((t) => t.id === bench.seam?.track) ?? { purpose: "dialogue" }),
  playhead: () => stage.playhead,
  setBlend: (before, after) => void setBlend(before, after),
  setLull: (from, to) => {
    const s = bench.seam;
    if (s) void edit({ edit: "set_lull", clip: s.left, lull: s.lull, from, to });
  },
  rollTo: (to, alone) => {
    const s = bench.seam;
    if (!s) return;
    if (!alone) return void edit({ edit: "roll", left: s.left, right: s.right, to });
    if (s.lead === undefined) return say("This cut has no picture linked, so its sound cannot lead or trail.");
    void edit({
      edit: "lead",
      left: s.left,
      right: s.right,
      frames: Math.round(((s.at + s.lead - to) * rate.num) / (rate.den * sr)),
    });
  },
  loaded: (v) => {
    showBlend(v);
    if (v.covers.length) showScene();
  },
  failed: (e) => say(e),
});

const list = new SeamList(
  $("seams"),
  (s) => selectSeam(s),
  (s) => leadOf(s, rate, sr),
);
const seamEdge = (): SeamEdge | undefined => (stage.selection.kind === "seam" ? list.current : undefined);

const stage: Stage = {
  id: sceneID,
  scene,
  rate,
  sr,
  frame,
  edits,
  list,
  bench,
  timeline,
  player,
  playhead: place.get(sceneID).playhead,
  selection: { kind: "none" },
  shown: shownOf.get(sceneID),
  closing: false,
  seek: (at) => seek(at),
  select: (s) => select(s),
  show: () => {
    timeline.repaint();
    showScene();
  },
  ask: (q) => ask(q),
  note: (words) => (panel.did = words),
};
const view = new PictureView(stage, pictures);
const toning = new Toning(stage, (from, to, part) => void hearPart(from, to, part));
const mending = new Mending(
  stage,
  data.blends,
  () => showScene(),
  (what) => void audition(what),
);

/** Everything that shows the scene shows it anew. */
function changed(): void {
  stage.selection = still(scene, stage.selection);
  const cut = list.current;
  if (cut && canBlend(cut)) {
    // the bench shows it where its cut is now, before it is measured again
    const at = edgeAt(scene, { right: cut.right });
    if (at !== undefined) bench.moved(at);
    bench.take(blendNow());
    if (bench.data) showBlend(bench.data);
  }
  timeline.repaint();
  showRest();
  if (player.playing && player.what === "scene") void play(player.position());
}

/** What can wait until the timeline shows an edit. */
const showRest = afterPaint(() => {
  showScene();
  clearTimeout(seamsSoon);
  seamsSoon = window.setTimeout(() => void loadSeams(), 120); // after the last of several edits
});
let seamsSoon = 0;

let asking = false,
  again = false,
  token = 0,
  shownLeads = "";

async function loadSeams(): Promise<void> {
  if (asking) {
    again = true;
    return;
  }
  asking = true;
  try {
    do {
      again = false;
      const got = await get<SeamAnswer>(`/scenes/${sceneID}/seams?since=${token}`);
      const before = list.current;
      token = got.token;
      list.set(merged(list.all, got, (at) => timecode(scene.start_frame + frameOf(at, rate, sr), rate)));
      const slipped = JSON.stringify(offsets) !== JSON.stringify(got.offsets);
      offsets = got.offsets;
      if (got.revision < scene.revision) {
        again = true;
        continue;
      }
      if (before) {
        const now =
          list.current ?? list.all.find((s) => s.track === before.track && Math.abs(s.at - before.at) < sr / 2);
        list.chosen = now?.id ?? "";
        if (now !== before || got.moved || got.set?.some((s) => s.id === now?.id)) {
          bench.show(now);
          showScene();
        }
      }
      if (got.set?.length || got.order) showCounts();
      const led = list.led.map((s) => `${s.id}${s.lead}`).join();
      if (slipped) showScene();
      if (got.moved || got.order || slipped || led !== shownLeads) timeline.repaint();
      shownLeads = led;
    } while (again);
  } catch (e) {
    token = 0; // the next answer shall be the whole list
    say(e);
  } finally {
    asking = false;
  }
}

// --- selection ---

function select(s: Selection): void {
  stage.selection = s;
  closes = "";
  remember();
  timeline.repaint();
  showScene();
  if (s.kind === "clips" && s.ids.length === 1) void askCloses(s.ids[0]);
}

/** Says beforehand what would stay behind if the clip in hand were removed and the gap closed up. */
async function askCloses(id: string): Promise<void> {
  const told = await edits.after(() => edits.try({ edit: "remove", clips: [id], close: true }));
  if (!told || stage.selection.kind !== "clips" || stage.selection.ids[0] !== id) return;
  const stays = told.refused ? told.words : staying(told.words).join("; ");
  closes = stays && `If it is closed up: ${stays}${stays.endsWith(".") ? "" : "."}`;
  showScene();
}

function selectSeam(s: Seam, reveal = true): void {
  stage.selection = { kind: "seam" };
  closes = "";
  list.select(s.id);
  bench.show(s);
  if (!player.playing) seek(s.at);
  if (reveal) timeline.reveal(s.at);
  timeline.repaint();
  showScene();
}

function remember(): void {
  const sel = stage.selection;
  place.set(sceneID, {
    playhead: stage.playhead,
    ...(sel.kind === "range" ? { range: { from: sel.from, to: sel.to, tracks: sel.tracks } } : {}),
  });
}

/** Takes the clip in hand that the address names. */
function showAsked(): void {
  const p = findClip(scene, new URLSearchParams(location.search).get("clip") ?? "");
  if (!p) return;
  select({ kind: "clips", ids: [p.clip.id] });
  seek(p.clip.from);
  timeline.reveal(p.clip.from);
}

// --- playing ---

function seek(at: number): void {
  stage.playhead = Math.max(0, Math.round(at));
  if (player.playing && player.what === "scene") void play(stage.playhead);
  else if (player.playing) player.stop();
  remember();
  showPlayhead();
}

async function play(from = stage.playhead): Promise<void> {
  const end = endOf(scene);
  if (end === 0)
    return say("Nothing is laid out yet, so there is nothing to hear. Bring recordings in on the page of sources.");
  try {
    await player.play(from >= end ? 0 : from, end);
  } catch (e) {
    say(e);
  }
}

const ROLL = 1.5; // seconds of pre-roll and post-roll

/** What of the scene each audition lets be heard. */
function partOf(s: Seam, what: string): string {
  if (what === "outgoing" || what === "incoming") return what === "outgoing" ? s.left : s.right;
  if (what === "plain" && s.kind === "lull") return toning.without(s);
  if (what === "mended" || what === "placed") return mending.would(s)[what] ?? "";
  return what === "blended" ? "scene" : what;
}

/** Plays a stretch with pre-roll and post-roll: the scene, or the scene as it would be. */
async function hearPart(from: number, to: number, part: string): Promise<void> {
  auditioned = "";
  try {
    await player.play(Math.max(0, Math.floor(from - ROLL * sr)), Math.ceil(to + ROLL * sr), part, ["scene"]);
  } catch (e) {
    say(e);
  }
}

let auditioned = ""; // the seam, and the state of the scene, that an audition plays

/** Plays the seam with pre-roll and post-roll. While it plays, another audition takes over at the same moment. */
async function audition(what: string): Promise<void> {
  const s = list.current;
  if (!s) return say("No seam is chosen. Choose one in the list, or press Down for the next.");
  if ((what === "outgoing" && !s.left) || (what === "incoming" && !s.right))
    return say(`There is no ${what} clip at this seam: ${name(s)}.`);
  if (what === "mended" && !partOf(s, what))
    return say("Nothing is proposed for this seam, so there is nothing to hear beforehand.");
  if (what === "placed" && !partOf(s, what))
    return say("No places have been searched for at this cut. Search for the best ones first.");
  mode = what;
  showMode();
  if (what === "difference" && s.kind === "lull")
    return say("A lull has no difference to hear by itself. Hear it plain, without the lull, or the patch alone.");
  const of = `${s.id} ${scene.revision}`;
  if (player.playing && auditioned === of && player.hear(partOf(s, what))) return;
  auditioned = of;
  const from = Math.max(0, Math.floor(s.from - ROLL * sr)),
    to = Math.ceil(s.to + ROLL * sr);
  try {
    await player.play(
      from,
      to,
      partOf(s, what),
      [
        "scene",
        partOf(s, "plain"),
        ...(s.kind === "lull" ? [] : ["difference"]),
        s.left,
        s.right,
        mending.would(s).mended ?? "",
      ].filter(Boolean),
    );
    if (!player.playing) {
      stage.playhead = s.at;
      showPlayhead();
    }
  } catch (e) {
    say(e);
  }
}

let last = performance.now();
function tick(now: number): void {
  if (player.playing) {
    stage.playhead = player.position();
    showPlayhead();
    const x = (stage.playhead - timeline.view.from) / timeline.view.perPixel;
    if (player.what === "scene" && (x > sizeOf($("timeline")).width - 30 || x < 0)) timeline.reveal(stage.playhead);
  }
  if (player.playing || meter.lit) meter.show(player.peaks(), (now - last) / 1000);
  last = now;
  requestAnimationFrame(tick);
}

// --- what is shown ---

function showPlayhead(): void {
  const tc = timecode(scene.start_frame + frameOf(stage.playhead, rate, sr), rate);
  $("timecode").textContent = tc;
  if (panel?.large) panel.largeTC = tc;
  timeline.repaint();
  bench.repaint();
  view.playhead();
}

function showStills(): void {
  const now = view.figures(),
    same =
      panel.figures.length === now.length &&
      now.every((f, i) => f.words === panel.figures[i].words && f.tc === panel.figures[i].tc);
  if (!same) panel.figures = now;
  panel.four = now.length > 2 ? "four" : "";
  void Alpine.nextTick(() => view.bench());
}

function showPlaying(): void {
  if (player.playing) meter.reset();
  if (!panel) return;
  panel.playMark = player.playing ? "■" : "▶";
  panel.playWords = player.playing ? "Stop" : "Play";
  const side = player.parts.length > 1,
    lulled = list.current?.kind === "lull",
    words: Record<string, string> = {
      plain: lulled ? "it without the lull" : "the plain cut",
      blended: lulled ? "it lulled" : "it blended",
      outgoing: lulled ? "the clip alone" : "the outgoing clip alone",
      incoming: lulled ? "the patch alone" : "the incoming clip alone",
      difference: "the difference alone",
      mended: "it as it would be mended",
      placed: "it with the cut at this place",
    };
  panel.hearing = side
    ? `You hear ${words[mode]}${player.looped ? ", in a loop" : ""}${player.speed < 1 ? ", at half speed" : ""}`
    : "";
}

/** Takes up again what plays, as it is to be played now. */
function replay(): void {
  showPlaying();
  [panel.loopClass, panel.loopPressed, panel.slowClass, panel.slowPressed] = [
    player.looped ? "on" : "",
    String(player.looped),
    player.speed < 1 ? "on" : "",
    String(player.speed < 1),
  ];
  if (player.parts.length < 2) return;
  auditioned = "";
  void audition(mode);
}

function showMode(): void {
  for (const [key, m] of [
    ["modePlain", "plain"],
    ["modeBlended", "blended"],
    ["modeOutgoing", "outgoing"],
    ["modeIncoming", "incoming"],
    ["modeDifference", "difference"],
  ] as const)
    panel[key] = m === mode ? "on" : "";
}

function showBlend(v: BenchView): void {
  const s = list.current;
  if (!s) return;
  law = v.law ?? law;
  panel.laws = data.laws.map((l) => ({
    law: l.law,
    name: l.name,
    use: l.about,
    tone: l.law === v.law ? "on" : "",
    pressed: String(l.law === v.law),
  }));
  const n = v.before + v.after;
  curves = { out: v.curve_out, in: v.curve_in };
  panel.lengthText = v.law ? `${frames(n, rate, sr).replace(/ frames?/, "")} frames` : "no blend";
  panel.lean = n ? Math.round((200 * v.after) / n - 100) : 0;
  panel.leanWords = v.law ? leanWords(v.before, v.after) : "";
  benchWords();
}

const usual: Curve = { shape: "quarter_sine" }; // of a fade that was given none

/** The shapes of both sides of the blend in hand, or of the fade at the edge in hand. */
function curvesInHand(): [out?: Curve, into?: Curve] {
  const s = list.current!;
  if (canBlend(s)) return bench.data?.law ? [curves.out, curves.in] : [];
  const clip = findClip(scene, s.left || s.right)?.clip,
    fade = s.left ? clip?.fade_out : clip?.fade_in,
    own = fade?.curve ?? usual;
  return s.left ? [own, undefined] : [undefined, own];
}

/** Shows the shapes of both sides of a blend, or of the fade at an edge. */
function showShapes(s: Seam): void {
  const blends = canBlend(s) && !!bench.data?.law,
    clip = blends ? undefined : findClip(scene, s.left || s.right)?.clip,
    fade = canBlend(s) ? undefined : s.left ? clip?.fade_out : clip?.fade_in;
  const options = (c: Curve | undefined, own: boolean) => [
    ...(own ? [{ value: "", words: "by the law", selected: !c }] : []),
    ...data.shapes.map((x) => ({ value: x.shape, words: x.name, selected: c?.shape === x.shape })),
  ];
  panel.isEdge = !canBlend(s) && s.kind !== "lull";
  const [out, into] = curvesInHand();
  [panel.hasOut, panel.hasIn, panel.hasBoth] =
    s.kind === "lull"
      ? [false, false, false]
      : [blends || (!canBlend(s) && !!s.left), blends || (!canBlend(s) && !s.left), blends];
  [panel.outs, panel.ins] = [options(out, blends), options(into, blends)];
  [panel.bendsOut, panel.bendsIn] = [out, into].map(bends);
  [panel.bendOut, panel.bendIn] = [String(out?.bend ?? 0), String(into?.bend ?? 0)];
  [panel.linkClass, panel.linkPressed] = [sidesLinked ? "on" : "", String(sidesLinked)];
  panel.fadeText = fade?.length ? `${frames(fade.length, rate, sr).replace(/ frames?/, "")} frames` : "no fade";
  showPull();
}

function showPull(): void {
  panel.pullWords = pulls ? "Pull together" : "Keep length";
  panel.pullTitle = pulls
    ? "A new blend overlaps the clips: the scene gets shorter by it. Press to use handles."
    : "A blend uses the recordings' handles: the scene stays as long. Press to pull the clips together.";
}

function leanWords(before: number, after: number): string {
  const f = (n: number) => frames(n, rate, sr).replace(/ frames?/, "");
  return before === after ? "centred" : `${f(before)} + ${f(after)} frames`;
}

function benchWords(): void {
  const s = list.current;
  panel.benchTitle = s ? `Seam ${list.number(s)} of ${list.all.length}` : "Bench";
  panel.isCut = !!s && canBlend(s);
  panel.hasSeam = !!s;
  [panel.blendedWords, panel.outWords, panel.inWords] =
    s?.kind === "lull" ? ["Lulled", "Clip", "Patch"] : ["Blended", "Outgoing", "Incoming"];
  if (s) showShapes(s);
  if (!s) {
    panel.benchAbout = list.all.length ? `${keyOf("next_seam") || "The list"} takes the first seam in hand` : "";
    return;
  }
  const n = bench.seconds();
  panel.benchAbout = [
    name(s),
    leadOf(s, rate, sr),
    `${n >= 0.1 ? `${n.toFixed(1)} s` : `${(n * 1000).toFixed(1)} ms`} shown`,
  ]
    .filter(Boolean)
    .join(" · ");
}

const keyOf = (id: string): string => {
  const c = commands.find((x) => x.id === id);
  return c ? keyName(c) : "";
};

function cardNow(): Card {
  const a: About = {
      scene,
      rate,
      key: keyOf,
      closing: stage.closing,
      offsets,
      shown: stage.shown,
      hues: data.hues,
      measures: data.measures,
    },
    sel = stage.selection,
    s = list.current;
  switch (sel.kind) {
    case "clips": {
      const all = clipsInHand(stage);
      return all.length === 1 ? clipCard(a, all[0], sel.edge, closes) : clipsCard(a, all);
    }
    case "edges":
      return edgesCard(a, sel.edges);
    case "range": {
      const m = marked.get();
      return rangeCard(a, sel, !!localStorage.getItem("blendseam-piece"), m?.scene === sceneID ? m.name : "");
    }
    case "track":
      return trackCard(a, scene.tracks.find((t) => t.id === sel.id)!);
    case "marker":
      return markerCard(a, scene.markers!.find((m) => m.id === sel.id)!);
    case "seam":
      if (s)
        return seamCard(a, s, list.number(s), {
          lull: toning.of(s)?.lull,
          ...mending.of(s),
          covers: (bench.seam?.id === s.id && bench.data?.covers) || [],
        });
  }
  return sceneCard(a);
}

function showCounts(): void {
  const count = (v: string) => list.all.filter((s) => s.verdict === v).length,
    pending = list.all.filter((s) => !s.why).length;
  const gaps = count("") - pending; // beside recordings that are missing
  panel.seamCount = `${list.all.length} ${list.all.length === 1 ? "seam" : "seams"}`;
  panel.verdictCount = pending
    ? `${pending} being measured`
    : `${count("rough")} rough · ${count("audible")} audible · ${count("clean")} ` +
      `clean${gaps ? ` · ${gaps} not measured` : ""}`;
  benchWords();
}

function showScene(): void {
  const end = frameOf(endOf(scene), rate, sr),
    whole = timecode(end, rate);
  panel.title = scene.name;
  panel.about =
    `${rate.nominal === rate.num / rate.den ? rate.nominal : (rate.num / rate.den).toFixed(2)} fps · ` +
    `${whole.slice(0, 2) === "00" ? whole.slice(3, 8) : whole.slice(0, 8)} long`;
  panel.hasPicture = scene.tracks.some((t) => t.kind === "picture");
  panel.pictureClass = panel.hasPicture ? "" : "no-picture";
  [panel.noUndo, panel.noRedo] = [!scene.undo, !scene.redo];
  panel.undoWords = scene.undo ? `Undo: ${scene.undo}` : "Nothing to undo";
  panel.redoWords = scene.redo ? `Redo: ${scene.redo}` : "Nothing to redo";
  panel.card = cardNow();
  if (stage.selection.kind === "seam") mending.look();
  showCounts();
  showStills();
  view.playhead(true);
}

// --- blends ---

/** The blend of the seam in hand as the scene has it now. */
function blendNow(): Blend | undefined {
  const s = list.current,
    track = s && scene.tracks.find((t) => t.id === s.track),
    p = s?.pair && scene.pairs?.find((x) => x.out === s.left && x.in === s.right);
  if (p)
    return {
      left: p.out,
      right: p.in,
      law: p.law,
      curve_out: p.curve_out,
      curve_in: p.curve_in,
      before: s!.at - s!.from,
      after: s!.to - s!.at,
    };
  return track && blendAt(track, s.left, s.right);
}

/** The edit that gives the cut or the pair in hand a blend, shaped as its sides are. */
function blendEdit(s: Seam, before: number, after: number, by: string, shapes = curves): unknown {
  const shape = {
    law: by,
    ...(shapes.out ? { curve_out: shapes.out } : {}),
    ...(shapes.in ? { curve_in: shapes.in } : {}),
  };
  if (s.pair) return { edit: "set_pair", out: s.left, in: s.right, from: s.at - before, to: s.at + after, ...shape };
  const track = scene.tracks.find((t) => t.id === s.track),
    there = track && blendAt(track, s.left, s.right); // the list may lag behind an edit
  return {
    edit: "set_blend",
    left: s.left,
    right: s.right,
    before,
    after,
    ...shape,
    ...(pulls && !there ? { pull: true } : {}),
  };
}

async function setBlend(before: number, after: number, by = law, shapes = curves): Promise<void> {
  const s = list.current;
  if (s && canBlend(s)) await edit(blendEdit(s, before, after, by, shapes));
}

/** Gives a side of the blend, or the fade in hand, a shape; none follows the law. */
function setCurve(side: "out" | "in", c: Curve | undefined): void {
  const s = list.current;
  if (!s) return;
  if (!canBlend(s)) {
    const edge = s.left ? "tail" : "head",
      clip = findClip(scene, s.left || s.right)?.clip,
      n = (s.left ? clip?.fade_out : clip?.fade_in)?.length ?? 0;
    if (!n) return say("There is no fade here yet. Give it a length first.");
    return void edit({ edit: "fade", clip: s.left || s.right, edge, length: n, curve: c ?? usual });
  }
  const b = blendNow();
  if (!b) return say("This cut has no blend yet. Press B to blend it.");
  const now = { out: b.curve_out, in: b.curve_in, [side]: c };
  if (sidesLinked) [now.out, now.in] = [c, c];
  void setBlend(b.before, b.after, b.law, now);
}

function needCut(): Seam | undefined {
  const s = list.current;
  if (s && canBlend(s)) return s;
  say(
    s
      ? "This seam is not a cut between two touching clips, so there is nothing to blend. Move one clip up to the " +
          "other first."
      : "No seam is chosen. Choose a cut in the list or in the timeline.",
  );
  return undefined;
}

/** Gives the blend another length, leaning as it does; from what it is when the edit's turn comes. */
function setLength(length: (was: number) => number): void {
  const s = needCut();
  if (!s) return;
  void edit(() => {
    const b = blendNow(),
      was = b ? b.before + b.after : 0,
      now = leaning(length(was), b ? (2 * b.after) / was - 1 : 0);
    return blendEdit(s, now.before, now.after, b?.law ?? law, b ? { out: b.curve_out, in: b.curve_in } : {});
  });
}

const lengthen = (by: number) => setLength((was) => (was ? Math.max(frame, was + by) : defaultLength()));
const defaultLength = (): number => {
  const { before, after } = mending.halves(mending.default);
  return before + after;
};

// --- commands ---

const zoomBench = (f: number) => {
  bench.zoom(f);
  benchWords();
};

const does: Record<string, () => void> = {
  ...moves(stage),
  ...pieces(stage),
  ...places(stage),
  ...tracks(stage),
  ...mending.commands(),
  ...toning.commands(),
  play: () => (player.playing ? player.stop() : void play()),
  audition: () => (player.playing && player.what !== "scene" ? player.stop() : void audition(mode)),
  hear_plain: () => void audition("plain"),
  hear_blended: () => void audition("blended"),
  hear_outgoing: () => void audition("outgoing"),
  hear_incoming: () => void audition("incoming"),
  hear_difference: () => void audition("difference"),
  hear_mended: () => void audition("mended"),
  hear_place: () => void audition("placed"),
  loop: () => {
    player.looped = !player.looped;
    replay();
  },
  slower: () => {
    player.speed = player.speed < 1 ? 1 : 0.5;
    replay();
  },
  blend_off: () => {
    const s = needCut();
    if (s)
      void edit(
        s.pair
          ? { edit: "remove_pair", out: s.left, in: s.right }
          : { edit: "remove_blend", left: s.left, right: s.right },
      );
  },
  pull: () => {
    pulls = !pulls;
    showPull();
  },
  snapping: () => {
    timeline.snapping = !timeline.snapping;
    panel.snapClass = timeline.snapping ? "on" : "";
    panel.snapPressed = String(timeline.snapping);
  },
  bench_closer: () => zoomBench(1 / 1.8),
  bench_wider: () => zoomBench(1.8),
  picture: () => showLarge(!panel.large),
  undo: () => void edits.travel("undo"),
  redo: () => void edits.travel("redo"),
  history: () => openPast(false),
  version: () => openPast(true),
  rename: () =>
    void ask({ title: "Rename the scene", label: "Name", value: scene.name, done: "Rename" }).then(
      (q) => q && edit({ edit: "rename", name: q.value }),
    ),
  order: () => (list.worst ? panel.byTime() : panel.worstFirst()),
  light: () => document.querySelector<HTMLElement>("[data-light]")!.click(),
  sources: () => location.assign(`/scenes/${sceneID}/sources`),
  hand_over: () => location.assign(`/scenes/${sceneID}/hand-over`),
  scene_file: () => location.assign(`/scenes/${sceneID}/scene${data.formats[0].ending}`),
  change_keys: () => location.assign("/keys"),
  search: () => panel.openSearch(),
  keys: () => panel.openKeys(),
};

// What moves an edge in hand moves that of a lull, if one is in hand.
for (const [id, by] of [
  ["edge_earlier", -frame],
  ["edge_later", frame],
  ["edge_earlier_5", -5 * frame],
  ["edge_later_5", 5 * frame],
  ["sample_earlier", -1],
  ["sample_later", 1],
  ["ms_earlier", -Math.round(sr / 1000)],
  ["ms_later", Math.round(sr / 1000)],
] as const) {
  const cut = does[id];
  does[id] = () => void (toning.nudge(by) || cut());
}
const otherEdge = does.edge;
does.edge = () => void (toning.otherEdge() || otherEdge());

function run(id: string): void {
  const c = commands.find((x) => x.id === id);
  if (does[id]) does[id]();
  else if (c) say(`"${c.words}" works where a source is listened through: open one from the page of sources.`);
}

function showLarge(large: boolean): void {
  if (large && !panel.hasPicture) return say("This scene has no picture, so there is none to show larger.");
  panel.large = view.large = large;
  void Alpine.nextTick(() => {
    view.playhead(true);
    showPlayhead();
  });
}

document.addEventListener("click", (e) => {
  const b = (e.target as Element).closest<HTMLElement>("[data-command]");
  if (b) run(b.dataset.command!);
});

document.addEventListener("keydown", (e) => {
  const el = e.target as HTMLElement,
    dialog = el.closest("dialog"); // one just closed may still have the focus
  if (
    dialog?.open ||
    e.isComposing ||
    (!dialog && el.matches("input, select, textarea") && !el.matches("[type=range]"))
  )
    return;
  if (el.matches("[type=range]") && e.key.startsWith("Arrow")) return;
  const c = commandFor(commands, e);
  if (!c || (el.matches("button, a") && (e.key === "Enter" || e.key === " ") && !e.ctrlKey && !e.shiftKey && !e.altKey))
    return;
  e.preventDefault();
  run(c.id);
});

// --- panels ---

interface Found {
  id: string;
  words: string;
  key: string;
  tone: string;
  selected: string;
}
interface Panel {
  [key: string]: unknown;
  card: Card;
  laws: { law: string; name: string; use: string; tone: string; pressed: string }[];
  found: Found[];
  figures: Figure[];
  byTime(): void;
  worstFirst(): void;
  openSearch(): void;
  openKeys(): void;
  $refs: Record<string, HTMLElement>;
}

let answered: (value: { value: string; choice: string } | undefined) => void = () => {};

/** Asks for a word or a figure in a dialog; nothing if it is closed. */
function ask(q: Question): Promise<{ value: string; choice: string } | undefined> {
  const dialog = panel.$refs.ask as HTMLDialogElement;
  panel.question = {
    title: q.title,
    label: q.label,
    hint: q.hint ?? "",
    hasChoices: !!q.choices,
    choiceLabel: q.choices?.label ?? "",
    choices: q.choices?.list ?? [],
    done: q.done ?? "Do it",
  };
  [panel.answer, panel.choice] = [q.value ?? "", q.choices?.value ?? ""];
  dialog.showModal();
  void Alpine.nextTick(() => dialog.querySelector<HTMLInputElement>("input")!.select());
  return new Promise((done) => (answered = done));
}

/** Takes a figure that was typed on the card; what was wrong with it, if it is. */
function typed(id: string, text: string): string | undefined {
  const c = clipsInHand(stage)[0],
    sel = stage.selection,
    s = list.current;
  if (s && id.startsWith("lull_")) return toning.typed(s, id, text);
  const db = () => {
    const m = /^\s*([+\-−]?\s*[\d.]+)\s*(dB)?\s*$/i.exec(text);
    return m ? Number(m[1].replace("−", "-").replace(/\s/g, "")) : undefined;
  };
  const moment = () => {
    const f = parseTimecode(text, rate);
    return f === undefined ? undefined : sampleOf(f - scene.start_frame, rate, sr);
  };
  const noTC =
    `"${text}" is not a timecode. Write hours, minutes, seconds and frames, such as ` +
    `${timecode(scene.start_frame, rate)}.`;
  switch (id) {
    case "gain":
      return db() === undefined
        ? "A gain is a number of dB, such as -3.5."
        : void edit({ edit: "gain", clips: [c.clip.id], db: db() });
    case "track_gain":
      return db() === undefined || sel.kind !== "track"
        ? "A gain is a number of dB, such as -3.5."
        : void edit({ edit: "set_track", track: sel.id, gain_db: db() });
    case "lead": {
      const n = lengthOf(text, rate, sr)?.frames;
      return n === undefined || !s
        ? `"${text}" is not a number of frames. 8 leads by 8 frames, -5 trails by 5, 0 is a straight cut.`
        : void edit({
            edit: "lead",
            ...(s.left ? { left: s.left } : {}),
            ...(s.right ? { right: s.right } : {}),
            frames: n,
          });
    }
    case "begins":
      return moment() === undefined ? noTC : void edit({ edit: "move", clip: c.clip.id, to: moment() });
    case "length": {
      const n = lengthOf(text, rate, sr),
        at =
          n?.frames !== undefined
            ? sampleOf(frameOf(c.clip.from, rate, sr) + n.frames, rate, sr)
            : n && c.clip.from + n.samples!;
      return at === undefined
        ? `"${text}" is not a length. Write frames (96), seconds (4.2 s) or milliseconds (320 ms).`
        : void edit({ edit: "trim", clip: c.clip.id, edge: "tail", to: at, close: stage.closing });
    }
    case "name":
      return sel.kind === "track" ? void edit({ edit: "set_track", track: sel.id, name: text }) : undefined;
    case "marker_name":
      return sel.kind === "marker" ? void edit({ edit: "set_marker", marker: sel.id, name: text }) : undefined;
    case "marker_at":
      return moment() === undefined || sel.kind !== "marker"
        ? noTC
        : void edit({ edit: "set_marker", marker: sel.id, at: moment() });
  }
  if (sel.kind !== "range" || moment() === undefined) return noTC;
  const now = { ...sel, gap: false, [id]: moment()! };
  if (now.from >= now.to || now.from < 0) return "A range begins in the scene, before it ends.";
  select(now);
  return undefined;
}

Alpine.data("scene", () => ({
  title: scene.name,
  about: "",
  kept: "All kept",
  did: "",
  playMark: "▶",
  playWords: "Play",
  seamCount: "",
  verdictCount: "",
  hasPicture: false,
  pictureClass: "",
  byTimeClass: "on",
  worstClass: "",
  byTimePressed: "true",
  worstPressed: "false",
  benchTitle: "Bench",
  benchAbout: "",
  figures: [] as Figure[],
  four: "",
  isCut: false,
  laws: [] as Panel["laws"],
  lengthText: "",
  lean: 0,
  leanWords: "",
  blendedWords: "Blended",
  outWords: "Outgoing",
  inWords: "Incoming",
  modePlain: "",
  modeBlended: "on",
  modeOutgoing: "",
  modeIncoming: "",
  modeDifference: "",
  loopClass: "",
  loopPressed: "false",
  slowClass: "",
  slowPressed: "false",
  hearing: "",
  hasSeam: false,
  isEdge: false,
  hasOut: false,
  hasIn: false,
  hasBoth: false,
  outs: [] as unknown[],
  ins: [] as unknown[],
  outLabel: "Out",
  inLabel: "In",
  bendsOut: false,
  bendsIn: false,
  bendOut: "0",
  bendIn: "0",
  linkClass: "on",
  linkPressed: "true",
  fadeText: "",
  pullWords: "Keep length",
  pullTitle: "",
  placeWindow: Number(localStorage.getItem("blendseam-window") ?? 250),
  snapClass: "on",
  snapPressed: "true",
  large: false,
  largeTC: "",
  card: emptyCard,
  noUndo: true,
  noRedo: true,
  undoWords: "",
  redoWords: "",
  query: "",
  found: [] as Found[],
  notFound: false,
  at: 0,
  question: {
    title: "",
    label: "",
    hint: "",
    hasChoices: false,
    choiceLabel: "",
    choices: [] as { value: string; words: string }[],
    done: "",
  },
  answer: "",
  choice: "",
  keyGroups: [] as { name: string; list: { words: string; key: string }[] }[],

  init() {
    panel = this as unknown as Panel;
    panel.kept = edits.words();
    timeline.whole();
    showScene();
    showPlayhead();
    void loadSeams();
    meter.show([], 0);
    requestAnimationFrame(tick);
    showAsked();
  },
  byTime() {
    order(false);
  },
  worstFirst() {
    order(true);
  },
  setLaw(by: string) {
    const b = blendNow();
    law = by;
    const { before, after } = b ?? mending.halves(mending.default);
    void setBlend(before, after, by);
  },
  setCurve(side: "out" | "in", e: Event) {
    const shape = (e.target as HTMLSelectElement).value;
    setCurve(side, shape ? { shape } : undefined);
  },
  setBend(side: "out" | "in", e: Event) {
    const input = e.target as HTMLInputElement,
      bend = Number(input.value.replace("−", "-"));
    if (!(bend >= -1 && bend <= 1))
      return say("A bend lies between -1, which rises late, and 1, which rises early; 0 is straight.");
    const [out, into] = curvesInHand();
    setCurve(side, { shape: ((side === "out" ? out : into) ?? usual).shape, bend });
  },
  linkSides() {
    sidesLinked = !sidesLinked;
    if (list.current) showShapes(list.current);
  },
  typeFade(e: Event) {
    const input = e.target as HTMLInputElement,
      s = list.current,
      n = /^\s*(no fade|0)?\s*$/.test(input.value) ? { samples: 0 } : lengthOf(input.value, rate, sr);
    if (!s || !n)
      return say(`"${input.value}" is not a length. Write frames (6), milliseconds (240 ms) or seconds (1.5 s).`);
    const clip = findClip(scene, s.left || s.right)?.clip,
      was = s.left ? clip?.fade_out : clip?.fade_in;
    void edit({
      edit: "fade",
      clip: s.left || s.right,
      edge: s.left ? "tail" : "head",
      length: inSamples(n, rate, sr),
      curve: was?.length ? was.curve : usual,
    });
  },
  choosePlace(i: number) {
    mending.choosePlace(i);
  },
  typeWindow(e: Event) {
    const n = Number((e.target as HTMLInputElement).value);
    if (!(n >= 5 && n <= 2000)) return say("The search reaches 5 to 2000 ms to each side of the cut.");
    panel.placeWindow = n;
    mending.setWindow(Math.round(n));
  },
  shorter() {
    lengthen(-frame);
  },
  longer() {
    lengthen(frame);
  },
  typeLength(e: Event) {
    const input = e.target as HTMLInputElement,
      n = lengthOf(input.value, rate, sr);
    if (!n || !needCut()) {
      say(`"${input.value}" is not a length. Write frames (6), milliseconds (240 ms) or seconds (1.5 s).`);
      input.value = panel.lengthText as string;
      return;
    }
    setLength(() => inSamples(n, rate, sr));
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
  typeField(id: string, e: Event) {
    const input = e.target as HTMLInputElement,
      wrong = typed(id, input.value);
    if (!wrong) return;
    say(wrong);
    input.value = panel.card.fields.find((f) => f.id === id)?.value ?? "";
  },
  choose(id: string, e: Event) {
    const sel = stage.selection;
    if (sel.kind === "track")
      void edit({ edit: "set_track", track: sel.id, [id]: (e.target as HTMLSelectElement).value });
  },
  act(command: string) {
    run(command);
  },

  confirm() {
    (panel.$refs.ask as HTMLDialogElement).close();
    answered({ value: String(panel.answer).trim(), choice: String(panel.choice) });
    answered = () => {};
  },
  dismiss() {
    (panel.$refs.ask as HTMLDialogElement).close();
  },
  askClosed() {
    answered(undefined);
  },

  openSearch() {
    panel.query = "";
    (this as unknown as { look(): void }).look();
    (panel.$refs.search as HTMLDialogElement).showModal();
  },
  openKeys() {
    const groups = new Map<string, { words: string; key: string }[]>();
    for (const c of commands)
      if (c.keys?.length)
        groups.set(c.group ?? "", [...(groups.get(c.group ?? "") ?? []), { words: c.words, key: keyName(c) }]);
    panel.keyGroups = [...groups].map(([name, list]) => ({ name, list }));
    (panel.$refs.keys as HTMLDialogElement).showModal();
  },
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
      if (c) (this as unknown as { take(id: string): void }).take(c.id);
    }
  },
  take(id: string) {
    (panel.$refs.search as HTMLDialogElement).close();
    run(id);
  },
}));

function showFound(): void {
  panel.found = search(commands, panel.query as string).map((c, i) => ({
    id: c.id,
    words: c.words,
    key: keyName(c),
    tone: i === panel.at ? "at" : "",
    selected: String(i === panel.at),
  }));
  panel.notFound = panel.found.length === 0;
}

function order(worst: boolean): void {
  list.worst = worst;
  list.sort();
  [panel.byTimeClass, panel.worstClass, panel.byTimePressed, panel.worstPressed] = worst
    ? ["", "on", "false", "true"]
    : ["on", "", "true", "false"];
}

// --- news from elsewhere ---

const news = new EventSource(`/events?scene=${sceneID}`);
news.addEventListener("edit", (e) => {
  const m = JSON.parse((e as MessageEvent).data) as { revision: number; words: string; page?: string };
  if (m.page === pageName || m.revision <= scene.revision) return;
  void edits.after(async () => {
    if (m.revision <= scene.revision) return;
    await edits.catchUp();
    say(`Edited elsewhere: ${m.words}. This page shows it now.`);
  });
});
news.addEventListener(
  "seams",
  (e) => (JSON.parse((e as MessageEvent).data) as { measured: boolean }).measured && void loadSeams(),
);
news.addEventListener("open", () => void loadSeams()); // what was told meanwhile was not heard
news.addEventListener(
  "keys",
  () =>
    void get<Command[]>("/commands").then((now) => {
      commands = now;
      showScene();
    }),
);

news.addEventListener("mending", (e) => {
  const m = JSON.parse((e as MessageEvent).data) as { done: number; of: number };
  mending.progress(m.done, m.of);
});
news.addEventListener("blends", (e) => (mending.styles = JSON.parse((e as MessageEvent).data)));

document.addEventListener("light", () => {
  meter.show([], 0);
  timeline.repaint();
  bench.repaint();
});
void document.fonts.ready.then(() => {
  timeline.repaint();
  bench.repaint();
});

registerPast(edits, (words) => (panel.did = words));
registerFigures();
registerToast();
registerList();
registerChoices();
Alpine.start();
