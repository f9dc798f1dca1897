import assert from "node:assert/strict";
import { test } from "node:test";
import type { Duck } from "../wire/scene.ts";
import { madeWayFor, makingWay, noWayFor } from "./ducks.ts";
import type { Placed, Scene } from "./scene.ts";

const placed = (track: string, clip: string) => ({ track: { id: track }, clip: { id: clip } }) as Placed;
const duck = (under: string[], db: number, clips?: string[]): Duck => ({
  ...{ under, db, down: 1, up: 2, before: 3, after: 4, hold: 5 },
  ...(clips ? { clips } : {}),
});

test("clips join what makes way for clips by as much, and begin another where nothing does", () => {
  const of = [placed("a", "1"), placed("b", "2"), placed("a", "3")];
  assert.deepEqual(madeWayFor([], of, 6), [{ under: ["a", "b"], clips: ["1", "2", "3"], db: 6 }]);
  const was = [duck(["a"], 6), duck(["a"], 6, ["1", "9"]), duck(["a"], 3, ["8"])];
  assert.deepEqual(madeWayFor(was, of, 6), [was[0], duck(["a", "b"], 6, ["1", "9", "2", "3"]), was[2]]);
  assert.equal(madeWayFor(was, of, 4).length, 4);
});

test("what makes way for whole tracks stays, what makes way for no clip any more goes", () => {
  const was = [duck(["a"], 6), duck(["a"], 4, ["1", "2"]), duck(["a"], 3, ["1"])];
  assert.deepEqual(noWayFor(was, ["1"]), [was[0], duck(["a"], 4, ["2"])]);
});

test("a clip is made way for by name or with its track", () => {
  const tracks = [
    { id: "m", name: "Music", ducks: [duck(["a"], 6), duck(["a"], 4, ["1"]), duck(["b"], 3)] },
    { id: "a", name: "Dialogue" },
  ];
  const by = (clip: string) => makingWay({ tracks } as unknown as Scene, placed("a", clip)).map((x) => x.duck.db);
  assert.deepEqual([by("1"), by("2")], [[6, 4], [6]]);
});
