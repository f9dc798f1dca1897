import assert from "node:assert/strict";
import test from "node:test";
import { eachFrame } from "./frames.ts";

test("frames are asked for from when something moves until it rests", () => {
  let asked: ((now: number) => void)[] = [];
  globalThis.requestAnimationFrame = (f) => asked.push(f);
  const frame = (now: number) => {
    const due = asked;
    asked = [];
    for (const f of due) f(now);
    return due.length;
  };
  const since: number[] = [];
  let moves = 3;
  const wake = eachFrame((seconds) => {
    since.push(seconds);
    return --moves > 0;
  });
  assert.equal(frame(0), 0, "nothing moves yet");
  wake();
  wake();
  assert.equal(frame(1000), 1, "woken twice, it goes on once");
  for (const now of [1016, 1036, 1056, 1072]) frame(now);
  assert.deepEqual(since, [0, 0.016, 0.02]);
  moves = 1;
  wake();
  frame(9000);
  assert.deepEqual(since.slice(3), [0], "what passed while it rested does not count");
  assert.equal(frame(9016), 0);
});
