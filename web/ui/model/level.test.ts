import assert from "node:assert/strict";
import { test } from "node:test";
import { depthOf, levelAt } from "./level.ts";

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
