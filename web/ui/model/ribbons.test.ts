import assert from "node:assert/strict";
import { test } from "node:test";
import { shapes } from "./ribbons.ts";

const at = { width: 100, height: 50, bar: 10 };

test("two strips are joined where they show the same, and say what is gone and what is new", () => {
  const old = [
      { from: 0, to: 40, name: "a" },
      { from: 40, to: 100, name: "b" },
    ],
    now = [
      { from: 0, to: 40, name: "a" },
      { from: 40, to: 60, name: "n" },
      { from: 60, to: 100, name: "b" },
    ];
  const list = shapes(
    old,
    now,
    [
      { old_from: 0, old_to: 40, new_from: 0, new_to: 40, moved: false },
      { old_from: 60, old_to: 100, new_from: 60, new_to: 100, moved: true },
    ],
    at,
  );
  const of = (kind: string) => list.filter((s) => s.kind === kind);
  assert.equal(of("shot").length, 5);
  assert.deepEqual(of("moves")[0].points, [
    [60, 10],
    [100, 10],
    [100, 40],
    [60, 40],
  ]);
  assert.deepEqual(
    of("gone").map((s) => [s.name, s.points[0][0], s.points[1][0]]),
    [["b", 40, 60]],
  );
  assert.deepEqual(
    of("comes").map((s) => [s.name, s.points[0], s.points[1]]),
    [["n", [40, 40], [60, 40]]],
  );
});
