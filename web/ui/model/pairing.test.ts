import assert from "node:assert/strict";
import test from "node:test";
import { ways } from "./pairing.ts";

const clip = (id: string, from: number, to: number) => ({ id, name: id, from, to });

test("a pair fades over what is asked for, and every sample that goes is named", () => {
  for (const [a, b] of [
    [clip("a", 0, 1000), clip("b", 600, 2000)],
    [clip("b", 600, 2000), clip("a", 0, 1000)],
    [clip("a", 0, 3000), clip("b", 600, 2000)],
    [clip("a", 0, 600), clip("b", 600, 2000)],
    [clip("a", 0, 500), clip("b", 700, 2000)],
    [clip("a", 0, 650), clip("b", 600, 2000)],
  ])
    for (const w of ways(a, b, 40, 60)) {
      assert.ok(w.to > w.from);
      // What the edit trims is what is said: out ends at `to`, into begins at `from`.
      const gone = w.goes.reduce((sum, g) => sum + g.to - g.from, 0);
      assert.equal(gone, Math.max(0, w.out.to - w.to) + Math.max(0, w.from - w.into.from));
    }
});

test("over the whole overlap nothing goes; in its middle the ends do", () => {
  const [asked, whole] = ways(clip("a", 0, 1000), clip("b", 600, 2000), 40, 60);
  assert.deepEqual([asked.from, asked.to], [760, 860]);
  assert.deepEqual(
    asked.goes.map((g) => [g.clip, g.end, g.to - g.from]),
    [
      ["a", "tail", 140],
      ["b", "head", 160],
    ],
  );
  assert.deepEqual([whole.from, whole.to, whole.goes], [600, 1000, []]);
});

test("one that lies over the other goes over at either end, and says how much of the longer one that costs", () => {
  const [into, back] = ways(clip("bed", 0, 3000), clip("line", 600, 2000), 50, 50);
  assert.deepEqual([into.out.id, into.goes], ["bed", [{ clip: "bed", name: "bed", end: "tail", from: 700, to: 3000 }]]);
  assert.deepEqual([back.out.id, back.goes], ["line", [{ clip: "bed", name: "bed", end: "head", from: 0, to: 1900 }]]);
});
