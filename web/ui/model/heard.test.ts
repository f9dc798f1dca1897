import assert from "node:assert/strict";
import test from "node:test";
import type { HeardPart } from "../wire/web.ts";
import { lengthOf, partAt } from "./heard.ts";

const parts: HeardPart[] = [
  { from: 0, to: 100, kind: "pause", sure: 1 },
  { from: 100, to: 250, kind: "word", sure: 1 },
  { from: 250, to: 300, kind: "other", sure: 0.9 },
  { from: 300, to: 500, kind: "word", sure: 0.8 },
];

test("the part at a sample is the one that holds it, its end not included", () => {
  assert.equal(partAt(parts, 0)?.kind, "pause");
  assert.equal(partAt(parts, 99)?.kind, "pause");
  assert.equal(partAt(parts, 100)?.kind, "word");
  assert.equal(partAt(parts, 499)?.from, 300);
  assert.equal(partAt(parts, 500), undefined);
  assert.equal(partAt([], 0), undefined);
});

test("the length of a kind counts what lies in the stretch alone", () => {
  assert.equal(lengthOf(parts, "word", 0, 500), 350);
  assert.equal(lengthOf(parts, "word", 200, 320), 70);
  assert.equal(lengthOf(parts, "breath", 0, 500), 0);
});
