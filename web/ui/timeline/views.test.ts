import assert from "node:assert/strict";
import test from "node:test";
import { type Command, commandFor, keyName, search } from "../commands/keys.ts";
import { made, madeClip, rate } from "../model/made.ts";
import { applyChanges, type Clip, clipAfter, clipAt, endOf, type Track } from "../model/scene.ts";
import { hit, RULER, rowsOf, snap } from "./rows.ts";

const clip = (id: string, start: number, length: number, more: Partial<Clip> = {}): Clip =>
  madeClip(id, start, length, { in: 48000, ...more });

const scene = (...tracks: Partial<Track>[]) => made(tracks, 480000, 250);

test("picture clips are placed in samples by their frames", () => {
  const s = scene({ kind: "picture", purpose: "picture", clips: [clip("p", 10, 50, { in: 0 })] });
  assert.deepEqual([s.tracks[0].clips[0].from, s.tracks[0].clips[0].to], [19200, 115200]);
  assert.equal(endOf(s), 115200);
});

test("clips are found by time", () => {
  const s = scene({ clips: [clip("a", 0, 1000), clip("b", 1000, 1000), clip("c", 3000, 1000)] }),
    t = s.tracks[0];
  assert.equal(clipAt(t, 999)?.id, "a");
  assert.equal(clipAt(t, 1000)?.id, "b");
  assert.equal(clipAt(t, 2500), undefined);
  assert.equal(clipAfter(t, 4000), 3);
});

test("changes set, remove, add and reorder", () => {
  const s = scene({ clips: [clip("a", 0, 1000), clip("b", 1000, 1000)] }, {});
  applyChanges(s, rate, {
    name: "n",
    order: ["t9", "t0"],
    sources: { z: { id: "z", name: "z", samples: 1 } },
    tracks: [
      { track: { ...s.tracks[0], clips: [] }, gone: ["a"], set: [clip("b", 5, 10), clip("c", 0, 5)] },
      { track: { id: "t9", kind: "sound", purpose: "music", name: "M", clips: [] }, set: [] },
    ],
  });
  applyChanges(s, rate, { tracks: [{ track: { ...s.tracks[1], clips: [] }, moved: [{ by: 7, ids: ["b"] }] }] });
  assert.deepEqual(
    s.tracks[1].clips.map((c) => [c.id, c.from, c.to]),
    [
      ["c", 0, 5],
      ["b", 12, 22],
    ],
  );
  applyChanges(s, rate, { tracks: [{ track: { ...s.tracks[1], clips: [] }, moved: [{ by: -7, ids: ["b"] }] }] });
  assert.equal(s.name, "n");
  assert.deepEqual(
    s.tracks.map((t) => t.id),
    ["t9", "t0"],
  );
  assert.deepEqual(
    s.tracks[1].clips.map((c) => [c.id, c.from, c.to]),
    [
      ["c", 0, 5],
      ["b", 5, 15],
    ],
  );
  assert.ok(s.sources.z);
});

test("grips: trim above and below at an end, roll in the middle of a cut, fades in the corners, the rest moves", () => {
  const s = scene({ clips: [clip("a", 0, 200_000), clip("b", 200_000, 200_000)] }),
    rows = rowsOf(s, 0),
    v = { from: 0, perPixel: 1000 },
    top = RULER + 2,
    h = rows[0].height;
  const at = (x: number, part: number) => hit(rows, v, x, top + part * h);
  assert.equal(at(100, 0.5)?.grip, "body");
  assert.deepEqual([at(399, 0.75)?.grip, at(399, 0.75)?.edge, at(399, 0.75)?.clip.id], ["trim_gap", "tail", "b"]);
  assert.equal(at(399, 0.3)?.grip, "trim_close");
  assert.deepEqual([at(198, 0.5)?.grip, at(202, 0.5)?.grip], ["roll", "roll"]);
  assert.deepEqual([at(198, 0.1)?.grip, at(198, 0.1)?.clip.id], ["trim_close", "a"]);
  assert.deepEqual([at(202, 0.9)?.grip, at(202, 0.9)?.clip.id], ["trim_gap", "b"]);
  assert.deepEqual([at(13, 0.1)?.grip, at(13, 0.1)?.edge], ["fade", "head"]);
  assert.equal(hit(rows, v, 100, 5), undefined);
  assert.equal(hit(rows, v, 450, top + 10), undefined);
});

test("snapping takes the nearest within reach", () => {
  assert.equal(snap(100, [90, 108, 300], 20), 108);
  assert.equal(snap(100, [90, 108, 300], 5), 100);
});

const commands: Command[] = [
  { id: "blend", group: "", words: "Blend the cut", about: "crossfade", keys: ["b"] },
  { id: "undo", group: "", words: "Undo", keys: ["Ctrl+z"] },
  { id: "redo", group: "", words: "Redo", keys: ["Ctrl+Shift+z"] },
  { id: "gain_up", group: "", words: "Clip one dB up", about: "louder", keys: ["="] },
  { id: "keys", group: "", words: "Show all keys", keys: ["?"] },
  { id: "play", group: "", words: "Play or stop", keys: [" "] },
  { id: "off", group: "", words: "Take the blend off" },
];
const press = (key: string, more = {}) =>
  commandFor(commands, { key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more })?.id;

test("keys find their commands on any keyboard", () => {
  assert.equal(press("b"), "blend");
  assert.equal(press("B", { shiftKey: true }), undefined);
  assert.equal(press("z", { ctrlKey: true }), "undo");
  assert.equal(press("Z", { metaKey: true, shiftKey: true }), "redo");
  assert.equal(press("?", { shiftKey: true }), "keys");
  assert.equal(press("=", { shiftKey: true }), "gain_up"); // where = needs Shift
  assert.equal(keyName(commands[5]), "Space");
  assert.equal(keyName(commands[2]), "Ctrl+Shift+Z");
});

test("commands are found by the beginning of any word, own words first", () => {
  assert.deepEqual(
    search(commands, "ble").map((c) => c.id),
    ["blend", "off"],
  );
  assert.deepEqual(
    search(commands, "lou").map((c) => c.id),
    ["gain_up"],
  );
  assert.deepEqual(
    search(commands, "cut ble").map((c) => c.id),
    ["blend"],
  );
  assert.equal(search(commands, "").length, commands.length);
  assert.deepEqual(search(commands, "nothing"), []);
});
