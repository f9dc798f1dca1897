import assert from "node:assert/strict";
import { test } from "node:test";
import { lufs, oversIn } from "../bench/track-meters.ts";
import { balanceOf, banded, filtersWith, frequency } from "./treatment.ts";

test("frequencies, shelves and bells are read as they are typed", () => {
  assert.equal(frequency("80"), 80);
  assert.equal(frequency("1,2 kHz"), 1200);
  assert.equal(frequency("loud"), undefined);
  assert.deepEqual(banded("300 Hz -6 dB"), { hz: 300, db: -6, q: 1 });
  assert.deepEqual(banded("1.5k +3,5 q 2"), { hz: 1500, db: 3.5, q: 2 });
  assert.equal(banded("300"), undefined);
});

test("one filter is set and the others stay, and none takes it off", () => {
  const cut = filtersWith(undefined, "filter_low_cut", "80 Hz");
  assert.ok(typeof cut !== "string");
  assert.equal(cut.low_cut_hz, 80);
  const bell = filtersWith(cut, "filter_bell_1", "1 kHz -4");
  assert.ok(typeof bell !== "string");
  assert.deepEqual([bell.low_cut_hz, bell.bells], [80, [{ hz: 1000, db: -4, q: 1 }]]);
  const none = filtersWith(bell, "filter_bell_0", "none");
  assert.ok(typeof none !== "string");
  assert.deepEqual([none.low_cut_hz, none.bells], [80, []]);
  assert.match(filtersWith(cut, "filter_high_shelf", "bright") as string, /no frequency with its level/);
});

test("a balance is a share of one side", () => {
  assert.equal(balanceOf("30 % left"), -0.3);
  assert.equal(balanceOf("R 50"), 0.5);
  assert.equal(balanceOf("middle"), 0);
  assert.equal(balanceOf("loud"), undefined);
  assert.equal(balanceOf("200 left"), undefined);
});

test("loudness is that of the mean power, and places over the band are told once each", () => {
  // a sine of 997 Hz at 0 dBFS in one channel has -3.01 LKFS (ITU-R BS.1770-4): a power of 0.5 before the offset
  assert.ok(Math.abs(lufs([0.5 * 10 ** 0.0691, 0.5 * 10 ** 0.0691]) + 3.01) < 0.01);
  assert.equal(lufs([]), -70);
  const course = (peak_dbfs: number[]) => ({ peak_dbfs, peak_dbtp: peak_dbfs, power: peak_dbfs.map(() => 0) });
  const overs = oversIn(
    {
      ...{ revision: 1, from: 1000, step: 10 },
      scene: course([-3, -0.01, 0, -3]),
      tracks: [
        { track: "d", ...course([-7, -5, -4, -9, -2]) },
        { track: "m", ...course([-1, -1, -1, -1, -1]) },
      ],
    },
    (t) => t === "d",
  );
  assert.deepEqual(
    overs.map((o) => [o.track, o.at, o.db]),
    [
      ["", 1010, -0.01],
      ["d", 1010, -5],
      ["d", 1040, -2],
    ],
  );
});
