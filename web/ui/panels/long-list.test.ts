import assert from "node:assert/strict";
import test from "node:test";
import { hasWords, LongList } from "./long-list.ts";

test("a long list holds what was scrolled to, filters by words in any order, and says how many are shown", () => {
  let [rows, words] = [[] as string[], ""];
  const list = new LongList<string>(
    (r) => r,
    (r, w) => ([rows, words] = [r, w]),
  );
  list.set(Array.from({ length: 1000 }, (_, i) => `row ${i} ${i % 10 ? "plain" : "Round"}`));
  assert.equal(rows.length, 60);
  assert.equal(words, "");
  const height = (n: number) => ({ scrollTop: 0, clientHeight: 400, scrollHeight: 20 * n });
  list.scrolled(height(rows.length)); // the end is far
  assert.equal(rows.length, 60);
  list.scrolled({ ...height(rows.length), scrollTop: 600 });
  assert.equal(rows.length, 120);
  list.reach(500);
  assert.equal(rows[500], "row 500 Round");
  list.filter("round row 7");
  assert.equal(words, "19 of 1000 shown"); // ten end in 70, ten begin with 7 of 700, one is both
  assert.ok(rows.every((r) => /7/.test(r) && /Round/.test(r)));
  list.filter(" ");
  assert.equal(words, "");
  assert.equal(rows.length, 60);
});

test("words are found within words, whatever their case", () => {
  assert.ok(hasWords("Oda, take 2 · rough", "ROUGH oda"));
  assert.ok(!hasWords("Oda, take 2 · rough", "rough pell"));
});
