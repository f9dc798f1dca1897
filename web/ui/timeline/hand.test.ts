// What hands do: selecting, dragging, typing times.
import assert from "node:assert/strict";
import test from "node:test";
import { made, madeClip, rate } from "../model/made.ts";
import { type Clip, findClip, gaps, linked, type Scene, type Track } from "../model/scene.ts";
import type { Seam } from "../model/seam.ts";
import { merged } from "../model/seam.ts";
import {
  edgesInHand,
  pickAt,
  type Selection,
  spanOf,
  still,
  toTheRight,
  withClip,
  withEdge,
} from "../model/selection.ts";
import { lengthOf, parseTimecode, type Rate, timecode, type View } from "../model/time.ts";
import type { Reach } from "../wire/edit.ts";
import type { SeamAnswer } from "../wire/workspace.ts";
import { doingOf, leadWords, outcome, outlineOf, type Pull } from "./drag.ts";
import { hit, lullDepth, rangeOf, rowsBetween, rowsOf, snap, windowOf } from "./rows.ts";

const F = 1920;

const clip = (id: string, start: number, length: number, more: Partial<Clip> = {}): Clip =>
  madeClip(id, start, length, { in: 100, link: id.slice(1), ...more });
const sound = (c: Clip): Clip => ({ ...c, in: c.in * F, start: c.start * F, length: c.length * F });

/** Picture p1, p2, p3 with sound s1, s2, s3, linked, 50 frames each, touching; a tune alone; all in frames. */
function scene(): Scene {
  const pics = [clip("p1", 0, 50), clip("p2", 50, 50), clip("p3", 100, 50)];
  const tracks: Partial<Track>[] = [
    { kind: "picture", purpose: "picture", clips: pics },
    { clips: pics.map((c) => sound({ ...c, id: c.id.replace("p", "s") })) },
    { purpose: "music", clips: [sound(clip("tune", 20, 100, { link: "" }))] },
  ];
  return made(tracks, 170 * F, 170);
}

/** What the server says of the middle clip of three, in frames. */
const goes = (clips: string, head: number, tail: number, shows: number) =>
  clips.split(" ").map((clip) => ({ clip, head, tail, shows }));
const REACH: Record<string, Reach> = {
  slip: { low: -100 * F, high: 20 * F, goes: goes("p2 s2", 0, 0, 1), rest: -1, turns: false },
  slide: {
    low: -49 * F,
    high: 20 * F,
    goes: [...goes("p2 s2", 1, 1, 0), ...goes("p1 s1", 0, 1, 0), ...goes("p3 s3", 1, 0, 1)],
    rest: -1,
    turns: false,
  },
  roll: {
    low: -49 * F,
    high: 20 * F,
    goes: [...goes("s1 p1", 0, 1, 0), ...goes("s2 p2", 1, 0, 1)],
    rest: -1,
    turns: false,
  },
  split: {
    low: -49 * F,
    high: 20 * F,
    goes: [...goes("s1", 0, 1, 0), ...goes("s2", 1, 0, 1)],
    rest: -1,
    turns: false,
  },
};

const pull = (
  s: Scene,
  id: string,
  doing: Pull["doing"],
  frames: number,
  edge?: "head" | "tail",
  also: string[] = [],
): Pull => ({
  doing,
  at: findClip(s, id)!,
  edge,
  raw: frames * F,
  drawn: (x) => x,
  whole: (n) => n,
  also,
  reach: REACH[doing],
});

test("where a drag starts, and the key that is held, say what it does", () => {
  const none = { altKey: false, ctrlKey: false, metaKey: false };
  assert.deepEqual(
    [
      doingOf("body", none),
      doingOf("body", { ...none, altKey: true }),
      doingOf("body", { ...none, ctrlKey: true }),
      doingOf("roll", none),
      doingOf("roll", { ...none, altKey: true }),
      doingOf("trim_close", { ...none, altKey: true }),
    ],
    ["move", "slip", "slide", "roll", "split", "trim_close"],
  );
});

test("a slip goes as far as the handles of picture and sound, and shows the first and last picture", () => {
  const s = scene(),
    o = outcome(s, rate, pull(s, "s2", "slip", 6));
  assert.deepEqual(o.edit, { edit: "slip", clip: "s2", by: -6 * F });
  assert.match(o.words.join("; "), /shows its recording from 6 frames earlier; 94 frames of handle left/);
  assert.deepEqual(
    o.stills.map((x) => [x.words, x.frame]),
    [
      ["first", 94],
      ["last", 143],
    ],
  );
  assert.equal(outcome(s, rate, pull(s, "s2", "slip", -60)).delta, 20 * F); // 170 frames, 100 to 150 shown
});

test("a slide takes from one neighbour and gives to the other, and shows four pictures", () => {
  const s = scene(),
    p = pull(s, "s2", "slide", 10),
    o = outcome(s, rate, p);
  assert.deepEqual(o.edit, { edit: "slide", clip: "s2", by: 10 * F });
  assert.deepEqual(
    o.stills.map((x) => [x.words, x.frame, x.at]),
    [
      ["before", 159, 59],
      ["first", 100, 60],
      ["last", 149, 109],
      ["after", 110, 110],
    ],
  );
  assert.equal(outcome(s, rate, pull(s, "s2", "slide", 40)).delta, 20 * F); // all the handle that s1 has
  const { ends } = outlineOf(s, p, 10 * F);
  assert.deepEqual(
    [ends.get("s1"), ends.get("p2"), ends.get("p3")],
    [
      { head: 0, tail: 10 * F, shows: 0 },
      { head: 10 * F, tail: 10 * F, shows: 0 },
      { head: 10 * F, tail: 0, shows: 10 * F },
    ],
  );
});

test("a lull is drawn by its edges, its fades and its middle, within its clip", () => {
  const s = scene(),
    p = findClip(s, "s2")!,
    l = { id: "u1", from: 110 * F, to: 130 * F, fade_in: 2 * F, fade_out: F };
  p.clip.lulls = [l]; // frames 60 to 80 of the scene
  const of = (doing: Pull["doing"], frames: number, edge?: "head" | "tail") =>
    outcome(s, rate, { ...pull(s, "s2", doing, frames, edge), lull: l });
  assert.deepEqual(of("lull", 5, "tail").edit, { edit: "set_lull", clip: "s2", lull: "u1", to: 85 * F });
  assert.deepEqual(of("lull", 5, "tail").words, ["lull 5 frames longer"]);
  assert.equal(of("lull", -40, "head").delta, -10 * F); // to the clip's head
  assert.equal(of("lull", 30, "head").delta, 20 * F - 2);
  assert.deepEqual(of("lull", 4).edit, { edit: "set_lull", clip: "s2", lull: "u1", from: 64 * F, to: 84 * F });
  assert.deepEqual(of("lull_fade", 3, "head").edit, { edit: "set_lull", clip: "s2", lull: "u1", fade_in: 5 * F });
  assert.equal(of("lull_fade", -90, "tail").delta, 17 * F); // up to the other fade
  assert.deepEqual([...outlineOf(s, pull(s, "s2", "lull", 5, "tail"), 5 * F).ends.keys()], []);
  const rows = rowsOf(s, 0),
    row = rows[1],
    v: View = { from: 0, perPixel: F / 4 };
  const at = (frame: number, y: number) => hit(rows, v, frame * 4, row.top + y)!;
  assert.deepEqual(
    [at(60, 3), at(80, 3), at(70, 10)].map((h) => [h.grip, h.edge, h.lull?.id]),
    [
      ["lull", "head", "u1"],
      ["lull", "tail", "u1"],
      ["lull", undefined, "u1"],
    ],
  );
  assert.deepEqual(
    [at(62, lullDepth(row, l)), at(55, 25)].map((h) => [h.grip, h.edge]),
    [
      ["lull_fade", "head"],
      ["body", undefined],
    ],
  );
});

test("a roll moves the linked cut, and the pictures are those at the new cut", () => {
  const s = scene(),
    p = pull(s, "s2", "roll", -8, "head"),
    o = outcome(s, rate, p);
  assert.deepEqual(o.edit, { edit: "roll", left: "s1", right: "s2", to: 42 * F });
  assert.deepEqual(
    o.stills.map((x) => [x.words, x.frame]),
    [
      ["outgoing", 141],
      ["incoming", 92],
    ],
  );
  assert.deepEqual([...outlineOf(s, p, -8 * F).ends.keys()].sort(), ["p1", "p2", "s1", "s2"]);
});

test("sound's cut against the picture's is a lead", () => {
  const s = scene(),
    o = outcome(s, rate, pull(s, "s2", "split", -8, "head"));
  assert.deepEqual(o.edit, { edit: "lead", left: "s1", right: "s2", frames: 8 });
  assert.equal(o.words[0], "sound leads by 8 frames");
  assert.deepEqual([...outlineOf(s, pull(s, "s2", "split", -8, "head"), -8 * F).ends.keys()].sort(), ["s1", "s2"]);
  assert.deepEqual([leadWords(0), leadWords(-1)], ["straight cut", "sound trails by 1 frame"]);
});

test("a trim that closes up moves the outline of all that follows", () => {
  const s = scene(),
    closes = { low: -49 * F, high: 30 * F, rest: 50 * F };
  const tail: Pull = {
    ...pull(s, "s1", "trim_close", -5, "tail"),
    reach: { ...closes, goes: goes("s1 p1", 0, 1, 0), turns: false },
  };
  assert.deepEqual(outlineOf(s, tail, -5 * F).after, { at: 50 * F, by: -5 * F });
  assert.match(
    outcome(s, rate, tail).words.join("; "),
    /tail 5 frames shorter; clip 1:20; all after it 5 frames earlier; 35 frames of handle left/,
  );
  const head: Pull = {
      ...pull(s, "s2", "trim_close", 5, "head"),
      reach: { ...closes, goes: goes("s2 p2", 0, -1, 1), turns: true },
    },
    o = outlineOf(s, head, 5 * F);
  assert.deepEqual([o.after!.by, o.ends.get("p2")], [-5 * F, { head: 0, tail: -5 * F, shows: 5 * F }]);
  assert.deepEqual(outcome(s, rate, head).edit, { edit: "trim", clip: "s2", edge: "head", to: 55 * F, close: true });
});

test("all clips in hand move with the one that is dragged", () => {
  const s = scene(),
    p = pull(s, "tune", "move", 4, undefined, ["s3"]),
    o = outcome(s, rate, p);
  assert.deepEqual(o.edit, { edit: "move", clip: "tune", to: 24 * F, also: ["s3"] });
  assert.match(o.words[0], /^2 clips 4 frames later/);
  assert.deepEqual([...outlineOf(s, p, 4 * F).ends.keys()].sort(), ["p3", "s3", "tune"]);
  assert.equal(outcome(s, rate, pull(s, "tune", "move", -99)).delta, -20 * F); // not before the scene
});

test("clips and edges are added and taken out, and what has gone is forgotten", () => {
  const s = scene();
  let sel: Selection = withClip({ kind: "none" }, "s1");
  sel = withClip(sel, "s2");
  assert.deepEqual(sel, { kind: "clips", ids: ["s1", "s2"] });
  assert.deepEqual(withClip(withClip(sel, "s1"), "s2"), { kind: "none" });
  const cut = { track: "t1", kind: "cut", left: "s1", right: "s2" };
  const two = withEdge({ kind: "seam" }, cut, { left: "s2", right: "s3" });
  assert.deepEqual(edgesInHand(two, cut), [
    { left: "s1", right: "s2" },
    { left: "s2", right: "s3" },
  ]);
  assert.deepEqual(edgesInHand({ kind: "clips", ids: ["s1"], edge: "tail" }, cut), [{ left: "s1" }]);
  assert.deepEqual(edgesInHand({ kind: "clips", ids: ["s1"] }, cut), []);
  assert.deepEqual(edgesInHand({ kind: "seam" }, cut), [{ left: "s1", right: "s2" }]);
  s.tracks[1] = { ...s.tracks[1], clips: s.tracks[1].clips.filter((c) => c.id !== "s3") };
  assert.deepEqual(still(s, two), { kind: "edges", edges: [{ left: "s1", right: "s2" }] });
  assert.deepEqual(still(s, { kind: "clips", ids: ["s3", "s1"] }), { kind: "clips", ids: ["s1"] });
  assert.deepEqual(still(s, { kind: "marker", id: "m1" }), { kind: "none" });
});

test("clips are picked track by track, to the right, and spanned", () => {
  const s = scene(),
    all = () => true;
  assert.equal(pickAt(s, 30 * F, all)?.id, "s1");
  assert.equal(pickAt(s, 30 * F, all, "s1")?.id, "tune");
  assert.equal(pickAt(s, 30 * F, all, "tune")?.id, "p1");
  assert.equal(pickAt(s, 30 * F, all, "p1")?.id, "s1");
  assert.equal(pickAt(s, 900 * F, all), undefined);
  assert.deepEqual(toTheRight(s, 50 * F), ["p2", "p3", "s2", "s3"]);
  assert.deepEqual(toTheRight(s, 50 * F, ["t1"]), ["s2", "s3"]);
  assert.deepEqual(spanOf(linked(s, findClip(s, "s2")!)), { from: 50 * F, to: 100 * F, tracks: ["t1", "t0"] });
  assert.deepEqual(gaps(s.tracks[2]), [{ from: 0, to: 20 * F }]);
});

const drawn = (a: number, b: number, snapped = (at: number) => at) => rangeOf(a, b, 2, snapped, (at) => at);

test("ranges are drawn either way and take the rows they touch; hidden and folded tracks have none or little", () => {
  assert.deepEqual(
    [drawn(10, 4), drawn(-5, 4)],
    [
      { from: 4, to: 10 },
      { from: 0, to: 4 },
    ],
  );
  // Both ends are near the same cut, at 100: they do not both snap to it. Less than a frame is no range.
  const near = (at: number) => snap(at, [100], 20);
  assert.deepEqual(drawn(90, 112, near), { from: 90, to: 112 });
  assert.deepEqual(drawn(90, 150, near), { from: 100, to: 150 });
  assert.equal(drawn(99, 100, near), undefined);
  const s = scene(),
    rows = rowsOf(s, 0),
    mid = (i: number) => rows[i].top + rows[i].height / 2;
  assert.deepEqual(rowsBetween(rows, mid(2), mid(1)), ["t1", "t2"]);
  const shown = rowsOf(s, 0, { scale: 2, folded: ["t2"], hidden: ["t0"], wave: 1, band: false });
  assert.deepEqual(
    shown.map((r) => [r.track.id, r.height]),
    [
      ["t1", 100],
      ["t2", 14],
    ],
  );
});

test("a list of seams takes what has changed, moved and gone", () => {
  const seam = (id: string, at: number, verdict = "") =>
    ({ id, at, from: at - 5, to: at + 5, tc: "", verdict }) as unknown as Seam;
  const answer = (a: Partial<SeamAnswer>): SeamAnswer => ({
    ...{ revision: 1, pending: 0, token: 1, order: [], ordered: false, set: [], moved: [], offsets: {}, ducks: {} },
    ...a,
  });
  const one = merged(
    [],
    answer({ pending: 2, order: ["a", "b", "c"], ordered: true, set: [seam("a", 10), seam("b", 20), seam("c", 30)] }),
  );
  const two = merged(one, answer({ set: [seam("a", 10, "clean")], moved: [{ by: -4, ids: ["b", "c"] }] }));
  assert.deepEqual(
    two.map((s) => [s.id, s.at, s.from, s.to, s.verdict]),
    [
      ["a", 10, 5, 15, "clean"],
      ["b", 16, 11, 21, ""],
      ["c", 26, 21, 31, ""],
    ],
  );
  const three = merged(two, answer({ order: ["c", "d"], ordered: true, set: [seam("d", 40)] }));
  assert.deepEqual(
    three.map((s) => s.id),
    ["c", "d"],
  );
  assert.deepEqual(merged(three, answer({})), three);
  assert.deepEqual(merged(three, answer({ ordered: true })), []); // all clips were taken off
});

test("timecodes are read as they are written, at drop-frame rates too", () => {
  const drop: Rate = { num: 30000, den: 1001, drop: true, nominal: 30 };
  for (const r of [rate, drop])
    for (const f of [0, 1, 1799, 1800, 17982, 107892, 90000, 2589407])
      assert.equal(parseTimecode(timecode(f, r), r), f);
  assert.equal(parseTimecode("12:05", rate), 305);
  assert.equal(parseTimecode("1305", rate), 330);
  assert.equal(parseTimecode("-1:00", rate), -25);
  assert.equal(parseTimecode("01:00:00;00", drop), 107892); // SMPTE ST 12-1: an hour of drop-frame is 107 892 frames
  for (const wrong of ["", "noon", "1:30:00:25", "00:61:00", "1:2:3:4:5", "12:"])
    assert.equal(parseTimecode(wrong, rate), undefined, wrong);
  assert.equal(parseTimecode("00:01:00;00", drop), undefined); // a number that drop-frame leaves out
});

test("lengths are typed in frames, milliseconds, seconds or samples", () => {
  const of = (t: string) => lengthOf(t, rate, 48000);
  assert.deepEqual(["6", "-5 f", "240 ms", "1.5 s", "1 sample", "-12 samples", "2.5"].map(of), [
    { frames: 6 },
    { frames: -5 },
    { samples: 11520 },
    { samples: 72000 },
    { samples: 1 },
    { samples: -12 },
    { samples: 4800 },
  ]);
  for (const wrong of ["soon", "", "6 feet", "1.2.3"]) assert.equal(of(wrong), undefined, wrong);
});

test("the window in the overview is what the timeline shows, and wide enough to be held", () => {
  // 1,000 pixels at 100 samples each from sample 50,000 on, in a strip of 1,000 samples a pixel
  assert.deepEqual(windowOf({ from: 50_000, perPixel: 100 }, 1000, 1000), { from: 50, to: 150 });
  const close = windowOf({ from: 50_000, perPixel: 1 }, 1000, 1000);
  assert.equal(close.to - close.from, 12);
  assert.equal((close.from + close.to) / 2, 50.5);
});
