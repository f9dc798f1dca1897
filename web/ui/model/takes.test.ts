import assert from "node:assert/strict";
import { test } from "node:test";
import type { Take, Takes } from "../wire/scene.ts";
import { takeBeside, takeName } from "./takes.ts";

const stack = (number: number, ...others: number[]): Takes => ({
  number,
  others: others.map((n) => ({ number: n }) as Take),
});

test("steps go through the takes by their numbers, round and round", () => {
  assert.equal(takeBeside(stack(1, 2, 4), 1), 2);
  assert.equal(takeBeside(stack(2, 1, 4), 1), 4);
  assert.equal(takeBeside(stack(4, 1, 2), 1), 1);
  assert.equal(takeBeside(stack(1, 2, 4), -1), 4);
});

test("a clip says which of its takes it is", () => {
  assert.equal(takeName({ name: "Oda" }), "Oda");
  assert.equal(takeName({ name: "Oda", takes: stack(2, 1, 3) }), "2/3 Oda");
});
