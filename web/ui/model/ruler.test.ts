import assert from "node:assert/strict";
import test from "node:test";
import { rulerMarks } from "./ruler.ts";
import { parseTimecode, type Rate, sampleOf } from "./time.ts";

const rates: Record<string, Rate> = {
  "25": { num: 25, den: 1, drop: false, nominal: 25 },
  "23.976": { num: 24000, den: 1001, drop: false, nominal: 24 },
  "29.97 drop": { num: 30000, den: 1001, drop: true, nominal: 30 },
  "59.94": { num: 60000, den: 1001, drop: false, nominal: 60 },
};

test("marks lie on whole seconds of timecode, hours included, and keep apart", () => {
  for (const [name, r] of Object.entries(rates))
    for (const perPixel of [4, 40, 200, 700, 3000, 20000, 150000])
      for (const from of [0, 12345, 48000 * 61, 48000 * 600]) {
        const start = parseTimecode("01:00:00:00", r)!;
        const marks = rulerMarks({ from, perPixel }, 1200, start, r, 48000);
        const named = marks.filter((m) => m.text);
        assert.ok(
          named.length > 0 && marks.length < 1300,
          `${name} at ${perPixel}: ${named.length} of ${marks.length}`,
        );
        for (const [i, m] of named.entries()) {
          if (m.text.startsWith("+")) continue;
          assert.match(m.text, /^\d\d:\d\d:\d\d([:;]\d\d)?$/);
          const whole =
            m.text.length === 8
              ? `${m.text}:${name === "29.97 drop" && parseTimecode(`${m.text}:00`, r) === undefined ? "02" : "00"}`
              : m.text;
          assert.equal(m.at, sampleOf(parseTimecode(whole, r)! - start, r, 48000), `${name}: ${m.text}`);
          if (i > 0)
            assert.ok((m.at - named[i - 1].at) / perPixel > (m.text.length === 8 ? 60 : 70), `${name} ${m.text}`);
        }
      }
});

test("from zero, 23.976 reads 30, 31 and not 29, 30 of the frame before", () => {
  const marks = rulerMarks({ from: 0, perPixel: 500 }, 1200, 0, rates["23.976"], 48000);
  assert.deepEqual(
    marks
      .filter((m) => m.text)
      .slice(0, 3)
      .map((m) => m.text),
    ["00:00:00", "00:00:01", "00:00:02"],
  );
});
