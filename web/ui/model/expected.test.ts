import assert from "node:assert/strict";
import test from "node:test";
import vectors from "../../../core/scene/edit/testdata/expected.json" with { type: "json" };
import { expected } from "./expected.ts";
import { rate } from "./made.ts";
import { findClip, prepare, type Scene } from "./scene.ts";

const scene = () => prepare(structuredClone(vectors.scene) as unknown as Scene, rate);

test("edits are expected to leave what core/scene leaves of them", () => {
  assert.ok(vectors.cases.length > 10);
  for (const c of vectors.cases) {
    const was = scene(),
      now = expected(was, rate, c.edit),
      about = JSON.stringify(c.edit);
    assert.deepEqual(was, scene(), `${about} changes the scene it is asked of`);
    if (!c.gains && !c.blends) {
      assert.equal(now, undefined, `${about} is refused`);
      continue;
    }
    assert.ok(now, about);
    for (const [id, db] of Object.entries(c.gains ?? {})) assert.equal(findClip(now, id)!.clip.gain_db, db, about);
    const blends = (now.tracks[0].blends ?? []).map((b) => [`${b.left} ${b.right}`, [b.before, b.after, b.law]]);
    if (c.blends) assert.deepEqual(Object.fromEntries(blends), c.blends, about);
    if (c.no_fade_in) assert.ok(!findClip(now, c.no_fade_in)!.clip.fade_in?.length, about);
  }
});

test("nothing is expected of an edit whose outcome the server alone knows", () => {
  for (const edit of [
    { edit: "trim", clip: "c1", edge: "tail", to: 10 },
    { edit: "set_blend", left: "c1", right: "c2", before: 10, after: 10, law: "matched", pull: true },
    {
      edit: "several",
      edits: [
        { edit: "gain", clips: ["c1"], db: 1 },
        { edit: "remove", clips: ["c1"] },
      ],
    },
  ])
    assert.equal(expected(scene(), rate, edit), undefined);
});
