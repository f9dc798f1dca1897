import assert from "node:assert/strict";
import { test } from "node:test";
import vectors from "../../../core/sound/timestretch/timing/testdata/back.json" with { type: "json" };
import type { Fit } from "../wire/timing.ts";
import { back, recordedFrame, speedWords, typedSpeed } from "./speeds.ts";

const rate = { num: 25, den: 1, drop: false, nominal: 25 };

test("a speed is typed as a number, a ratio, per cent, backwards, with ease", () => {
  const typed = (text: string) => typedSpeed(text, rate, 48000);
  assert.deepEqual(typed("2"), { times: 2, ease: 0, reverse: false });
  assert.deepEqual(typed("1/4"), { times: 0.25, ease: 0, reverse: false });
  assert.deepEqual(typed("80 %"), { times: 0.8, ease: 0, reverse: false });
  assert.deepEqual(typed("backwards"), { times: 1, ease: 0, reverse: true });
  assert.deepEqual(typed("0,5 times backwards"), { times: 0.5, ease: 0, reverse: true });
  assert.deepEqual(typed("2 ease 1 s"), { times: 2, ease: 48000, reverse: false });
  for (const wrong of ["fast", "-2", "0", "2 ease soon", "", "1/0"])
    assert.equal(typed(wrong)?.times === undefined || typed(wrong)!.times === Infinity, true, wrong);
});

test("moments lie in the recording where core has them", () => {
  for (const { fit, at, back: want } of vectors as { fit: Fit; at: number[]; back: number[] }[])
    for (const [i, a] of at.entries())
      assert.ok(Math.abs(back(fit, a) - want[i]) <= 1, `${JSON.stringify(fit)} at ${a}`);
});

test("the picture of a clip that runs twice as fast, or backwards, is that of its recording", () => {
  const fast: Fit = { of: "s", parts: [{ from: 0, to: 192000, length: 96000, kind: "tape" }] };
  assert.equal(recordedFrame(fast, 10, rate, 48000), 20);
  assert.equal(speedWords(fast), "2 times its speed");
  const turned: Fit = { of: "s", parts: [], reversed: 192000 };
  assert.equal(recordedFrame(turned, 0, rate, 48000), 99);
  assert.equal(recordedFrame(turned, 99, rate, 48000), 0);
  assert.equal(speedWords(turned), "backwards");
});
