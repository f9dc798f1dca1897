// The scene's page: puts the views together. What commands do is in the modules of their kind; what an edit does is
// decided by the server.

import Alpine from "@alpinejs/csp";
import { Bench } from "../bench/bench.ts";
import { Meter } from "../bench/meter.ts";
import { endsTrial, Player } from "../bench/player.ts";
import { type Figure, PictureView } from "../bench/stills.ts";
import { TrackMeters } from "../bench/track-meters.ts";
import { Auditions, type Hearing } from "../commands/auditions.ts";
import { benchEdits } from "../commands/bench-edits.ts";
import { Blending } from "../commands/blending.ts";
import { cardNow } from "../commands/card-now.ts";
import { place } from "../commands/clipboard.ts";
import { hearElsewhere } from "../commands/elsewhere.ts";
import { Evening } from "../commands/evening.ts";
import { Filling } from "../commands/filling.ts";
import { Correcting } from "../commands/heard.ts";
import { type Command, keyName, listenForCommands } from "../commands/keys.ts";
import { Lulls } from "../commands/lulls.ts";
import { Mending } from "../commands/mending.ts";
import { edges } from "../commands/moves.ts";
import { Remarking } from "../commands/remarking.ts";
import { runner, sceneCommands } from "../commands/scene.ts";
import { Selecting } from "../commands/selecting.ts";
import { Edits, type Stage } from "../commands/stage.ts";
import { shownOf } from "../commands/tracks.ts";
import { Voicing } from "../commands/voicing.ts";
import { eachFrame } from "../drawing/frames.ts";
import { afterPaint, onLook, sizeOf, threadOf } from "../drawing/paint.ts";
import { Pictures } from "../drawing/pictures.ts";
import { setUpWaves } from "../drawing/waves.ts";
import { get, pageData } from "../model/api.ts";
import { clock } from "../model/clock.ts";
import { setUpCurves } from "../model/curves.ts";
import type { ScenePage } from "../model/page.ts";
import { edgeAt, findClip, prepare } from "../model/scene.ts";
import { type BenchView, canBlend, oneFrame } from "../model/seam.ts";
import { still } from "../model/selection.ts";
import { recorded } from "../model/speeds.ts";
import { ask } from "../panels/ask.ts";
import { registerCard, showCard } from "../panels/card-panel.ts";
import { CurveDrawn } from "../panels/curve-drawn.ts";
import { SeamFeed } from "../panels/feed.ts";
import { HeardOf } from "../panels/heard.ts";
import { KnownOfClips, roomInWords } from "../panels/known-clip.ts";
import { voiceRows } from "../panels/level-cards.ts";
import { registerPast } from "../panels/past.ts";
import { registerPanels } from "../panels/register.ts";
import { leadOf, SeamList } from "../panels/seams.ts";
import { registerSearch } from "../panels/search.ts";
import { benchWords, blank, countWords, orderWords, sceneWords } from "../panels/strip.ts";
import { say } from "../panels/toast.ts";
import { Timeline } from "../timeline/timeline.ts";

const data = pageData<ScenePage>();
const { id: sceneID, rate } = data;
setUpCurves(data);
const scene = prepare(data.state, rate);
const sr = scene.sample_rate;
const frame = oneFrame(rate, sr);
const $ = <T extends HTMLElement>(id: string) => document.getElementById(id) as T;

let commands = data.commands;
let panel: Panel; // set when Alpine has begun

// --- views ---

const edits = new Edits(sceneID, scene, rate, {
  begins: () => endsTrial(player),
  foreseen: (e) => timeline.foreseen.edit(e),
  shown: () => timeline.foreseen.shown,
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

const player = new Player(sceneID, sr, () => {
  if (player.playing) for (const m of [meter, meters]) m.reset();
  tick();
  if (panel) auditions.show();
});
const meter = new Meter($("meter"));
const meters = new TrackMeters(sceneID, () => scene);
const pictures = new Pictures(rate, data.media, () => {
  timeline.repaint();
  view.playhead(true);
  view.bench();
});
pictures.recorded = (source, frame) => recorded(scene.sources[source]?.fit, source, frame, rate, sr);
setUpWaves(sr, data.media.peak_steps, data.media.tile_bins, () => timeline.repaint(), `/scenes/${sceneID}/tones`);

const timeline = new Timeline($("timeline"), $("heads"), $("tag"), {
  scene: () => scene,
  rate,
  pictures,
  shown: () => stage.shown,
  leastSlope: Math.ceil(sr / 200),
  playhead: () => stage.playhead,
  seek,
  selection: () => stage.selection,
  selectedSeam: () => list.current && bench.seam,
  edgesInHand: () => (stage.selection.kind === "none" ? [] : edges(stage)),
  leads: () => list.led.map((s) => ({ track: s.track, at: s.at, lead: s.lead! })),
  off: () => list.off,
  remarked: () => remarking.drawn(),
  offsets: () => feed.offsets,
  ducks: () => feed.ducks,
  heard: (source) => heardOf.of(stage.scene.sources[source]),
  select: (s) => selecting.take(s),
  clicked: () => selecting.clicked,
  selectedTracks: () => selecting.tracks(),
  id: sceneID,
  edit: (e) => void edits.edit(e),
  overlaps: () => mending.overlaps,
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
  setBlend: (before, after) => void blending.set(before, after),
  ...benchEdits(() => stage),
  loaded: (v) => {
    showBlend(v);
    if (v.covers.length) showScene();
  },
  failed: (e) => say(e),
});

const list = new SeamList($("seams"), (s) => selecting.seam(s), {
  when: (s) => clock(scene, rate, s.at),
  lead: (s) => leadOf(s, rate, sr),
  people: (s) => remarking.ofSeam(s.id),
});

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
  seek,
  select: (s) => selecting.take(s),
  show: () => {
    timeline.repaint();
    showScene();
  },
  ask,
  place: (at) => {
    stage.playhead = at;
    showPlayhead();
  },
  note: (words) => (panel.did = words),
};
const selecting = new Selecting(stage);
const remarking = new Remarking(stage, (words) => {
  if (panel) panel.present = words;
  list.again();
  timeline.repaint();
  if (panel) found();
});
const view = new PictureView(stage, pictures);
const lulls = new Lulls(stage);
const filling = new Filling(stage, lulls, (from, to, part) => void auditions.part(from, to, part));
const evening = new Evening(stage, (from, to, part) => void auditions.part(from, to, part));
const voicing = new Voicing(stage, meters, (from, to, part) => void auditions.part(from, to, part));
const found = () => document.activeElement?.closest(".card") || showScene(); // what is being typed there stays
const rooms = new KnownOfClips(data.id, "room", roomInWords, found);
const heardOf = new HeardOf(data.id, () => {
  timeline.repaint();
  found();
});
const correcting = new Correcting(stage, heardOf);
const curve = new CurveDrawn($("curve"), data.id, (e) => void edits.edit(e));
const voices = new KnownOfClips(data.id, "voice", voiceRows, found);
const mending = new Mending(stage, data.blends, {
  show: () => showScene(),
  hear: (what) => void auditions.audition(what),
  fill: filling.commands().fill,
});
const blending = new Blending(stage, mending, data);
const auditions = new Auditions(stage, mending, lulls, () => panel);
const feed = new SeamFeed(stage, {
  counted: () => showCounts(),
  measured: () => selecting.opens(),
});

/** Everything that shows the scene shows it anew. */
function changed(): void {
  stage.selection = still(scene, stage.selection);
  const cut = list.current;
  if (cut && canBlend(cut)) {
    // the bench shows it where its cut is now, before it is measured again
    const at = edgeAt(scene, { right: cut.right });
    if (at !== undefined) bench.moved(at);
    bench.take(blending.now());
    if (bench.data) showBlend(bench.data);
  }
  timeline.repaint();
  showRest();
  if (player.playing && player.what === "scene") auditions.again();
}

/** What can wait until the timeline shows an edit. */
const showRest = afterPaint(() => {
  showScene();
  feed.later();
});

// --- playing ---

function seek(at: number): void {
  stage.playhead = Math.max(0, Math.round(at));
  if (player.playing && player.what === "scene") void auditions.play(stage.playhead);
  else if (player.playing) player.stop();
  selecting.remember();
  showPlayhead();
}

const tick = eachFrame((seconds) => {
  if (player.playing) {
    stage.playhead = player.position();
    showPlayhead();
    const x = (stage.playhead - timeline.view.from) / timeline.view.perPixel;
    if (player.what === "scene" && (x > sizeOf($("timeline")).width - 30 || x < 0)) timeline.reveal(stage.playhead);
  }
  if (player.playing || meter.lit) meter.show(player.peaks(), seconds);
  meters.show(stage.playhead, player.playing && player.what === "scene", seconds);
  return player.playing || meter.lit || meters.lit;
});

// --- what is shown ---

function showPlayhead(always = false): void {
  const tc = clock(scene, rate, stage.playhead);
  $("timecode").textContent = tc;
  if (panel?.large) panel.largeTC = tc;
  timeline.played();
  bench.played();
  view.playhead(always);
}

function showStills(): void {
  const now = view.figures();
  if (JSON.stringify(now) !== JSON.stringify(panel.figures)) panel.figures = now;
  panel.four = now.length > 2 ? "four" : "";
  void Alpine.nextTick(() => view.bench());
}

function showBlend(v: BenchView): void {
  blending.showBlend(v);
  showBench();
}

function showBench(): void {
  const next = keyOf("next_seam") || "The list";
  const s = list.current;
  Object.assign(panel, benchWords(s, s ? list.number(s) : 0, list.all.length, bench.seconds(), next, rate, sr));
  blending.show();
}

const tables = { hues: data.hues, measures: data.measures };
const keyOf = (id: string): string => {
  const c = commands.find((x) => x.id === id);
  return c ? keyName(c) : "";
};

function showCounts(): void {
  Object.assign(panel, countWords(list.all, list.count));
  showBench();
}

function showScene(): void {
  Object.assign(panel, sceneWords(scene, rate));
  showCard(remarking.card(cardNow(stage, { feed, lulls, mending, rooms, voices, heardOf, selecting }, tables, keyOf)));
  void remarking.remarks.at(stage.selection.kind === "seam" ? list.chosen : "");
  if (stage.selection.kind === "seam") mending.look();
  const one = stage.selection.kind === "clips" ? stage.selection.ids : [];
  curve.show(one.length === 1 ? findClip(scene, one[0])?.clip : undefined);
  timeline.foreseen.near(edges(stage), stage.closing ? "trim_close" : "trim_gap");
  showCounts();
  showStills();
  view.playhead(true);
}

const does = sceneCommands(
  stage,
  { mending, lulls, filling, evening, voicing, auditions, blending, remarking, correcting, data },
  {
    zoomBench: (by) => {
      bench.zoom(by);
      showBench();
    },
    snapping: () => {
      const now = (timeline.snapping.on = !timeline.snapping.on);
      [panel.snapClass, panel.snapPressed] = [now ? "on" : "", String(now)];
    },
    larger: () => showLarge(!panel.large),
    order: () => order(!list.worst),
    benchSeam: () => selecting.benchSeam(),
  },
  `scene${data.formats[0].ending}`,
);

const run = runner(() => commands, does, blending.names);

function showLarge(large: boolean): void {
  if (large && !panel.hasPicture) return say("This scene has no picture, so there is none to show larger.");
  panel.large = view.large = large;
  void Alpine.nextTick(() => showPlayhead(true));
}

listenForCommands(() => commands, run);

// --- panels ---

interface Panel extends Hearing {
  [key: string]: unknown;
  figures: Figure[];
}

Alpine.data("scene", () => ({
  ...blank,
  figures: [] as Figure[],

  init() {
    panel = this as unknown as Panel;
    panel.kept = edits.words();
    auditions.show();
    timeline.whole();
    showScene();
    showPlayhead();
    void feed.load();
    meter.show([], 0);
    selecting.asked();
    remarking.begin();
  },
  filterSeams() {
    list.filter(String(panel.filter));
    showCounts();
  },
  byTime() {
    order(false);
  },
  worstFirst() {
    order(true);
  },
}));

function order(worst: boolean): void {
  list.worst = worst;
  list.sort();
  Object.assign(panel, orderWords(worst));
}

// --- what happens elsewhere ---

hearElsewhere(stage, { feed, mending, remarking }, async () => {
  commands = await get<Command[]>("/commands");
  showScene();
});

onLook(() => {
  meter.show([], 0);
  timeline.repaint();
  bench.repaint();
});

registerPast(edits, (words) => (panel.did = words));
blending.register();
registerCard(stage, lulls, mending, run);
registerSearch(() => [...commands, ...blending.names.named()], run);
registerPanels(() => timeline.repaint());
Alpine.start();
