import assert from "node:assert/strict";
import test from "node:test";
import { nominal, scaleOf, slopeOf, xOf, yOf } from "./room-scale.ts";

test("a colour that falls by 3 dB an octave falls by 1 dB a third-octave", () => {
  const pink = Array.from({ length: 19 }, (_, i) => -50 - i);
  assert.ok(Math.abs(slopeOf(pink) + 3) < 1e-9);
  assert.equal(slopeOf(Array(19).fill(-60)), 0);
});

test("rooms are drawn between whole tens of decibels that hold all of them", () => {
  const scale = scaleOf([
    [-55, -71],
    [-62, -150],
  ]);
  assert.deepEqual(scale, { top: -50, bottom: -80 });
  assert.equal(yOf(-50, scale, 60), 0);
  assert.equal(yOf(-65, scale, 60), 30);
  assert.equal(yOf(-150, scale, 60), 60); // what is not there lies at the foot
  assert.deepEqual(scaleOf([[]]), { top: -50, bottom: -90 });
  assert.equal(xOf(0, 19, 190), 5);
});

test("third-octaves are called by the nominal frequencies of IEC 61260-1", () => {
  const exact = [0, 3, 6, 9, 12, 15, 18].map((n) => nominal(1000 * 10 ** ((n - 9) / 10)));
  assert.deepEqual(exact, [125, 250, 500, 1000, 2000, 4000, 8000]);
});
