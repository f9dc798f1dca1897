import assert from "node:assert/strict";
import { test } from "node:test";
import { addedPoint, levelAt, levelOf, movedPoint, raisedStretch } from "../model/level.ts";
import type { Clip, Track } from "../model/scene.ts";
import { clickedLine, levelHit, pulledGain, pulledLine, pullOf } from "./level-hit.ts";

const line = [
  { at: 1000, db: 0 },
  { at: 2000, db: -12 },
  { at: 5000, db: -12 },
];
// shown from sample 500 of its recording on, at the start of the scene
const clip = { id: "c1", in: 500, start: 0, from: 0, to: 9000, level: line } as unknown as Clip;
const row = { top: 40, height: 63, track: { kind: "sound" } as Track };
const view = { from: 0, perPixel: 10 };
/** Where a level lies in the row: 48 dB over 48 pixels. */
const y = (db: number) => 42 + 12 - db;

test("a point is hit before the line, and the line before the clip", () => {
  assert.deepEqual(levelHit(row, view, clip, 50, y(0)), { grip: "point", point: 0 });
  assert.deepEqual(levelHit(row, view, clip, 152, y(-12) + 3), { grip: "point", point: 1 });
  assert.deepEqual(levelHit(row, view, clip, 100, y(-6)), { grip: "line" });
  assert.equal(levelHit(row, view, clip, 100, y(-20)), undefined);
  // One without points has a line, too, at its gain, once it is in hand.
  const plain = { ...clip, level: undefined, gain_db: -6 } as Clip;
  assert.equal(levelHit(row, view, plain, 50, y(-6)), undefined);
  assert.deepEqual(levelHit(row, view, plain, 50, y(-6), true), { grip: "gain" });
  assert.equal(levelHit(row, view, plain, 50, y(0), true), undefined);
  assert.equal(levelHit(row, view, plain, 4, y(-6), true), undefined); // its head can be taken hold of
});

test("points in a range move together; the gain of a clip follows the hand", () => {
  const pull = { at: 3000, by: 500, down: 6 / 48, least: 240 },
    near = (n: number) => Math.round(n * 100) / 100;
  const held = { x: 0, startX: 0, down: 6, only: undefined },
    hit = { grip: "point", point: 2, clip, row: { height: 63 } };
  assert.deepEqual(pullOf(held, hit, view, 240, { from: 1000, to: 6000 })?.group, [1, 2]);
  assert.equal(pullOf(held, hit, view, 240, { from: 0, to: 1000 })?.group, undefined);
  const both = pulledLine(clip, { ...pull, point: 2, group: [1, 2] });
  assert.deepEqual(both.line, [line[0], { at: 2500, db: -18 }, { at: 5500, db: -18 }]);
  assert.equal(both.words, "2 points -6.0 dB");
  // as far as the point before them, and no farther
  assert.equal(pulledLine(clip, { ...pull, by: -5000, point: 1, group: [1, 2] }).line[1].at, 1240);
  assert.equal(near(pulledGain({ gain_db: -3 } as Clip, { ...pull, down: -6 / 48 })), 3);
  assert.equal(pulledGain({} as Clip, { ...pull, down: 9 }), -120);
});

test("a point stays between its neighbours, so that no slope is a step", () => {
  assert.deepEqual(movedPoint(line, 1, { at: 9000, db: -3.04 }, 240)[1], { at: 4760, db: -3 });
  assert.deepEqual(movedPoint(line, 1, { at: -9000, db: 99 }, 240)[1], { at: 1240, db: 40 });
  assert.equal(movedPoint(line, 0, { at: -9000, db: 0 }, 240)[0].at, -9000);
});

test("a pull moves a point in both ways, or in one alone; the line moves its stretch as a whole", () => {
  const pull = { at: 3000, by: 500, down: 6 / 48, least: 240 };
  assert.deepEqual(pulledLine(clip, { ...pull, point: 1 }).line[1], { at: 2500, db: -18 });
  assert.deepEqual(pulledLine(clip, { ...pull, point: 1, only: "time" }).line[1], { at: 2500, db: -12 });
  assert.deepEqual(pulledLine(clip, { ...pull, point: 1, only: "level" }).line[1], { at: 2000, db: -18 });
  const raised = pulledLine(clip, pull).line;
  assert.deepEqual(
    raised.map((p) => p.db),
    [0, -18, -18],
  );
  assert.deepEqual(
    raisedStretch(line, 9000, 3).map((p) => p.db),
    [0, -12, -9],
  );
});

test("a double click sets a point on the line, where the line already runs, or takes one off", () => {
  const set = clickedLine(clip, {}, 1000, 240) as { points: typeof line };
  assert.deepEqual(set.points[1], { at: 1500, db: -6 });
  assert.equal(levelAt(set.points, 1300), levelAt(line, 1300));
  assert.deepEqual((clickedLine(clip, { point: 1 }, 0, 240) as { points: typeof line }).points, [line[0], line[2]]);
  assert.equal(addedPoint(line, 1100, 240).length, 3); // one lies that near
  assert.equal(levelOf(0) - levelOf(1), 48);
});
