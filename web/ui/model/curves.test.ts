import assert from "node:assert/strict";
import { test } from "node:test";
import { bends, gains, rise, setUpCurves } from "./curves.ts";

const line = (f: (x: number) => number) => Array.from({ length: 49 }, (_, i) => f(i / 48));
const power = {
  law: "p",
  name: "P",
  formula: "",
  about: "",
  out: line((x) => Math.cos((Math.PI / 2) * x)),
  in: line((x) => Math.sin((Math.PI / 2) * x)),
};
const gain = { law: "g", name: "G", formula: "", about: "", out: line((x) => 1 - x), in: line((x) => x) };
const bent = (b: number) => line((x) => (Math.abs(b) < 1e-9 ? x : Math.expm1(-6 * b * x) / Math.expm1(-6 * b)));
const shapes = [
  { shape: "s", name: "S", formula: "", bends: false, samples: [line((x) => x)] },
  { shape: "b", name: "B", formula: "", bends: true, samples: Array.from({ length: 17 }, (_, i) => bent(i / 8 - 1)) },
];

test("what is drawn of laws and shapes is what the samples say, and between them straight", () => {
  setUpCurves({ laws: [power, gain], shapes });
  for (let x = 0; x <= 1; x += 0.013) {
    const [out, into] = gains({ law: "p" }, x);
    assert.ok(Math.abs(out * out + into * into - 1) < 2e-3, `at ${x} the squares add to ${out * out + into * into}`);
    assert.deepEqual(
      gains({ law: "g" }, x).map((v) => v.toFixed(9)),
      [(1 - x).toFixed(9), x.toFixed(9)],
    );
    for (const b of [-1, -0.5, 0, 0.33, 1])
      assert.ok(
        Math.abs(
          rise({ shape: "b", bend: b }, x) -
            bent(b)[0] -
            (Math.abs(b) < 1e-9 ? x : Math.expm1(-6 * b * x) / Math.expm1(-6 * b)),
        ) < 0.02,
        `bend ${b} at ${x}`,
      );
  }
});

test("a side with a shape of its own follows that, the outgoing one mirrored; beyond the ends nothing grows", () => {
  setUpCurves({ laws: [power, gain], shapes });
  const early = { shape: "b", bend: 1 },
    even = { shape: "s" };
  const [out, into] = gains({ law: "p", curve_out: early, curve_in: even }, 0.25);
  assert.ok(Math.abs(out - Math.expm1(-6 * 0.75) / Math.expm1(-6)) < 1e-3);
  assert.equal(into.toFixed(6), "0.250000");
  assert.deepEqual(
    [rise({ shape: "s" }, -3), rise({ shape: "s" }, 7), rise(undefined, 0.5), rise({ shape: "nobody" }, 0.5)],
    [0, 1, 0.5, 0.5],
  );
  assert.deepEqual([bends({ shape: "b" }), bends({ shape: "s" }), bends(undefined)], [true, false, false]);
});
