import assert from "node:assert/strict";
import { test } from "node:test";
import { depthOf, levelAt, thinned, written } from "./level.ts";

test("a level line is straight in dB between its points and stays beyond them", () => {
  const line = [
    { at: 100, db: 0 },
    { at: 200, db: -12 },
    { at: 300, db: -12 },
  ];
  const said = [0, 100, 150, 200, 250, 300, 900].map((at) => levelAt(line, at));
  assert.deepEqual(said, [0, 0, -6, -12, -12, -12, -12]);
  assert.equal(levelAt(undefined, 5), 0);
  assert.equal(levelAt([], 5), 0);
});

test("louder lies higher, and nothing lies outside of a clip", () => {
  assert.ok(depthOf(6) < depthOf(0) && depthOf(0) < depthOf(-20));
  assert.equal(depthOf(40), 0);
  assert.equal(depthOf(-120), 1);
});

test("what was written by hand is thinned to what is heard, and lies in the place of what was there", () => {
  const steps = [0, 1, 2, 3, 4, 5, 6].map((n) => ({ at: 1000 * n, db: -n }));
  assert.deepEqual(thinned(steps, 0.25), [steps[0], steps[6]]);
  const bump = [
    { at: 0, db: 0 },
    { at: 1000, db: -0.1 },
    { at: 2000, db: -6 },
    { at: 3000, db: -6.1 },
    { at: 4000, db: -6 },
  ];
  const few = thinned(bump, 0.25);
  assert.deepEqual(few, [bump[0], bump[1], bump[2], bump[4]]);
  for (const p of bump) assert.ok(Math.abs(levelAt(few, p.at) - p.db) <= 0.25);
  // Over a line that goes on outside of it, with a slope of 100 samples to both sides.
  const was = [
    { at: -5000, db: -3 },
    { at: 1500, db: 3 },
    { at: 9000, db: -3 },
  ];
  const now = written(was, few, 100);
  assert.equal(levelAt(now, -5000), -3);
  assert.equal(levelAt(now, 9000), -3);
  assert.equal(levelAt(now, 2000), -6);
  assert.ok(now.every((p, i) => i === 0 || p.at > now[i - 1].at));
  assert.ok(!now.some((p) => p.at === 1500));
  // On a clip without a line the level before and after it is that of the clip.
  const alone = written([], few, 100);
  assert.deepEqual([levelAt(alone, -1e6), levelAt(alone, 1e6)], [0, 0]);
});
