import assert from "node:assert/strict";
import { test } from "node:test";
import type { Chain } from "../wire/effects.ts";
import { chainFields, chainWith, usual } from "./chain.ts";

test("only the treatments of a chain have fields, and each figure is typed with or without its unit", () => {
  const c: Chain = { compressor: { ...usual.compressor } };
  const fields = chainFields(c, () => "");
  assert.deepEqual(
    fields.map((f) => f.value),
    ["-24 dB", "3 : 1", "6 dB", "10 ms", "150 ms", "0 dB"],
  );
  assert.equal((chainWith(c, "treat_compressor_ratio", "4:1", []) as Chain).compressor!.ratio, 4);
  assert.equal((chainWith(c, "treat_compressor_ratio", "2,5", []) as Chain).compressor!.ratio, 2.5);
  assert.equal((chainWith(c, "treat_compressor_threshold_db", "−18 dB", []) as Chain).compressor!.threshold_db, -18);
  assert.match(chainWith(c, "treat_compressor_attack_ms", "soon", []) as string, /not a number, such as 10 ms/);
  assert.deepEqual(
    chainFields(undefined, () => ""),
    [],
  );
});

test("none takes a treatment off, and the whole chain with the last", () => {
  const both: Chain = { echo: { ...usual.echo }, reverb: { ...usual.reverb } };
  const one = chainWith(both, "treat_echo_times", "none", []) as Chain;
  assert.deepEqual(Object.keys(one), ["reverb"]);
  assert.equal(chainWith(one, "treat_reverb_room", "none", []), undefined);
});

test("reverberation takes a made-up room, or a recording by its name", () => {
  const c: Chain = { reverb: { ...usual.reverb } };
  const recorded = chainWith(c, "treat_reverb_room", "church bell", [{ id: "s9", name: "Church bell" }]) as Chain;
  assert.deepEqual(recorded.reverb, { level_db: -10, source: "s9" });
  assert.equal(chainFields(recorded, () => "Church bell")[0].value, "Church bell");
  assert.equal((chainWith(recorded, "treat_reverb_room", "Hall", []) as Chain).reverb!.room, "hall");
  assert.equal((chainWith(c, "treat_reverb_alone", "left out", []) as Chain).reverb!.alone, true);
  assert.match(chainWith(c, "treat_reverb_alone", "perhaps", []) as string, /neither/);
});
