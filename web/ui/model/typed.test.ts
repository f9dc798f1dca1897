import assert from "node:assert/strict";
import test from "node:test";
import vectors from "../../../core/scene/testdata/moments.json" with { type: "json" };
import { lengthOf, parseTimecode, type Rate } from "./time.ts";
import { decibels, downBy, momentOf, numberOf } from "./typed.ts";

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
