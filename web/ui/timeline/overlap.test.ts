import assert from "node:assert/strict";
import { test } from "node:test";
import { type Clip, prepare, type Scene } from "../model/scene.ts";
import { overlapOf } from "./overlap.ts";

const rate = { num: 25, den: 1, nominal: 25, drop: false };
const how = { style: { name: "short", law: "constant_power", lean: 0 }, close: true } as never;

/** Three sounds of 100 samples each; the last behind a gap of 50. */
const scene = (): Scene =>
  prepare(
    {
      sample_rate: 48000,
      sources: {},
      tracks: [
        {
          id: "t1",
          kind: "sound",
          name: "D",
          purpose: "dialogue",
          clips: [0, 100, 250].map((start, i) => ({
            id: `c${i}`,
            name: `n${i}`,
            source: "s",
            in: 0,
            start,
            length: 100,
          })),
        },
      ],
    } as never,
    rate as never,
  );

const over = (i: number, delta: number) => {
  const track = scene().tracks[0];
  return overlapOf({ track, clip: track.clips[i] as Clip, index: i }, delta, how);
};

test("a sound that is drawn over its neighbour overlaps it, on the side to which it goes", () => {
  assert.deepEqual(over(1, -12), {
    from: 88,
    to: 100,
    left: "c0",
    right: "c1",
    with: "n0",
    edit: { edit: "overlap", left: "c0", right: "c1", length: 12, law: "constant_power", close: true },
  });
  // Of one that goes to the right nothing follows along.
  assert.deepEqual(over(1, 60)?.edit, {
    edit: "overlap",
    left: "c1",
    right: "c2",
    length: 10,
    law: "constant_power",
    moves_left: true,
  });
});

test("where it lies free, or over its neighbour altogether, there is no overlap", () => {
  assert.equal(over(1, 0), undefined);
  assert.equal(over(1, 30), undefined);
  assert.equal(over(2, -50), undefined);
  assert.equal(over(1, -100), undefined);
  assert.equal(over(1, 150), undefined);
  assert.equal(over(0, -20), undefined);
});
