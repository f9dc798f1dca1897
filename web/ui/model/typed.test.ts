import assert from "node:assert/strict";
import test from "node:test";
import vectors from "../../../core/scene/testdata/moments.json" with { type: "json" };
import { lengthOf, parseTimecode, type Rate } from "./time.ts";
import { decibels, downBy, momentOf, numberOf, rollOf } from "./typed.ts";

const rates: Record<string, Rate> = {
  "25": { num: 25, den: 1, drop: false, nominal: 25 },
  "30d": { num: 30000, den: 1001, drop: true, nominal: 30 },
  "24000/1001": { num: 24000, den: 1001, drop: false, nominal: 24 },
};

test("moments are read as core/scene reads them", () => {
  assert.ok(vectors.moments.length > 20);
  for (const v of vectors.moments) {
    const r = rates[v.rate];
    assert.equal(
      momentOf(v.typed, parseTimecode(v.start, r)!, r, 48000) ?? null,
      v.sample,
      `"${v.typed}" at ${v.rate}`,
    );
  }
});

test("numbers take a point or a comma, and any sign of less", () => {
  assert.equal(decibels("-3,5"), -3.5);
  assert.equal(decibels("−3.5 dB"), -3.5);
  assert.equal(decibels("+2 db"), 2);
  assert.equal(decibels("3 5"), undefined);
  assert.equal(decibels("1.2.3"), undefined);
  assert.equal(downBy("-12"), 12);
  assert.equal(downBy("12"), 12);
  assert.equal(numberOf("0,25"), 0.25);
  assert.equal(numberOf(",5"), 0.5);
  assert.equal(numberOf(""), undefined);
  assert.deepEqual(lengthOf("0,2 s", rates["25"], 48000), { samples: 9600 });
});

test("pre-roll and post-roll are one or two numbers of seconds", () => {
  assert.deepEqual(rollOf("1,5"), { pre: 1.5, post: 1.5 });
  assert.deepEqual(rollOf("0.5 3"), { pre: 0.5, post: 3 });
  assert.deepEqual(rollOf("0 s / 2 s"), { pre: 0, post: 2 });
  for (const wrong of ["", "21", "-1", "1 2 3", "soon", "1 x"]) assert.equal(rollOf(wrong), undefined, wrong);
});
