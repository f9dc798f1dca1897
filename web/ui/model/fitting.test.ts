import assert from "node:assert/strict";
import { test } from "node:test";
import { toNext, toPicture, typedFit, underRange } from "./fitting.ts";
import type { Placed, Scene } from "./scene.ts";

const rate = { num: 25, den: 1, drop: false, nominal: 25 };
const clip = (id: string, from: number, to: number) => ({ id, from, to });
const s = {
  tracks: [
    { id: "p", kind: "picture", purpose: "picture", clips: [clip("p1", 0, 100), clip("p2", 100, 300)] },
    { id: "d", kind: "sound", purpose: "dialogue", clips: [clip("d1", 20, 140), clip("d2", 150, 200)] },
    { id: "m", kind: "sound", purpose: "music", clips: [clip("m1", 0, 400)] },
  ],
} as unknown as Scene;
const at = (track: number, index: number) =>
  ({ track: s.tracks[track], clip: s.tracks[track].clips[index], index }) as Placed;

test("a length is typed in frames, seconds, or per cent of what it is, and over how long its speed eases in", () => {
  const typed = (text: string) => typedFit(text, 96000, rate, 48000);
  assert.deepEqual(typed("50"), { length: 96000, ease: 0 });
  assert.deepEqual(typed("1,5 s"), { length: 72000, ease: 0 });
  assert.deepEqual(typed("95 %"), { length: 91200, ease: 0 });
  assert.deepEqual(typed("95 % ease 0.5 s"), { length: 91200, ease: 24000 });
  for (const odd of ["0", "long", "95 % ease", "95 % ease long", "2 s ease 1 s ease 1 s"])
    assert.equal(typed(odd), undefined, odd);
});

test("slots end with the picture that a clip begins under, or where the next clip begins", () => {
  assert.equal(toPicture(s, at(1, 0)), 80);
  assert.equal(toPicture(s, at(1, 1)), 150);
  assert.equal(toNext(at(1, 0)), 130);
  assert.equal(toNext(at(1, 1)), undefined);
});

test("a range is about the clip of which most lies in it, on its tracks or of dialogue", () => {
  assert.equal(underRange(s, { from: 100, to: 190, tracks: [] })?.clip.id, "d1"); // 40 of it, and 40 of the next
  assert.equal(underRange(s, { from: 120, to: 190, tracks: [] })?.clip.id, "d2");
  assert.equal(underRange(s, { from: 120, to: 190, tracks: ["m"] })?.clip.id, "m1");
  assert.equal(underRange(s, { from: 250, to: 290, tracks: [] }), undefined);
});
