import assert from "node:assert/strict";
import test from "node:test";
import vectors from "../../../core/sound/timecode/testdata/vectors.json" with { type: "json" };
import {
  frameOf,
  frames,
  lengthOf,
  nearestFrame,
  parseTimecode,
  type Rate,
  sampleOf,
  timecode,
  toSample,
  toX,
  zoomed,
} from "./time.ts";

const r25: Rate = { num: 25, den: 1, drop: false, nominal: 25 };
const r2997d: Rate = { num: 30000, den: 1001, drop: true, nominal: 30 };
const r23976: Rate = { num: 24000, den: 1001, drop: false, nominal: 24 };

test("frames to samples and back is exact, as exact fractions give it", () => {
  for (const r of [r25, r2997d, r23976])
    for (const sr of [44100, 48000, 96000])
      for (const f of [0, 1, 2, 999, 1001, 107892, 2589407]) {
        const num = BigInt(f) * BigInt(r.den) * BigInt(sr) * 2n + BigInt(r.num),
          want = Number(num / (2n * BigInt(r.num)));
        assert.equal(sampleOf(f, r, sr), want);
        assert.equal(frameOf(want, r, sr), f);
        assert.equal(frameOf(want - 1, r, sr), f - 1);
        assert.equal(nearestFrame(want + 1, r, sr), f);
      }
});

// The vectors are those of core/sound/timecode, which reads and prints them as well.
test("timecodes are printed and read, frames begin at their samples, as the vectors have it", () => {
  const rates = new Map<string, Rate>();
  for (const v of vectors.frames) {
    const r: Rate = { num: v.num, den: v.den, drop: v.drop, nominal: v.nominal };
    rates.set(v.rate, r);
    assert.equal(timecode(v.frame, r), v.timecode, v.rate);
    assert.equal(parseTimecode(v.timecode, r), v.frame, `${v.rate} ${v.timecode}`);
    for (const [sr, sample] of Object.entries(v.samples)) {
      assert.equal(sampleOf(v.frame, r, Number(sr)), sample, `${v.rate} ${v.frame} at ${sr}`);
      assert.equal(frameOf(sample, r, Number(sr)), v.frame);
    }
  }
  for (const no of vectors.no_timecodes) assert.equal(parseTimecode(no.text, rates.get(no.rate)!), undefined, no.text);
  assert.equal(timecode(-1, r25), "-00:00:00:01");
});

test("zooming keeps the sample under the pointer", () => {
  const v = { from: 1000, perPixel: 50 };
  for (const [x, factor] of [
    [0, 2],
    [300, 0.1],
    [764, 7],
  ]) {
    const z = zoomed(v, x, factor, 0.01, 1e6);
    assert.ok(Math.abs(toSample(z, x) - toSample(v, x)) <= 1);
  }
  assert.equal(zoomed(v, 10, 1e-9, 0.05, 1e6).perPixel, 0.05);
  assert.equal(toX(v, 1500), 10);
});

test("lengths are said in frames", () => {
  assert.equal(frames(1920, r25, 48000), "1 frame");
  assert.equal(frames(-11520, r25, 48000), "6 frames");
  assert.equal(frames(2880, r25, 48000), "1.5 frames");
  assert.equal(frames(8008, r2997d, 48000), "5 frames");
});

test("a length is typed as frames, milliseconds, seconds, samples or timecode", () => {
  assert.deepEqual(lengthOf("6", r25, 48000), { frames: 6 });
  assert.deepEqual(lengthOf("-12 ms", r25, 48000), { samples: -576 });
  assert.deepEqual(lengthOf("1.5 s", r25, 48000), { samples: 72000 });
  assert.deepEqual(lengthOf("37 samples", r25, 48000), { samples: 37 });
  assert.deepEqual(lengthOf("00:00:01:05", r25, 48000), { frames: 30 });
  assert.equal(lengthOf("soon", r25, 48000), undefined);
});
