// Copies onto other tracks: what is in hand above or below, what was copied where one points, and whole tracks.
import { demo, edits, expect, stateOf, take, test, track } from "./app.ts";

test("what is in hand is copied onto the track below by two actions, at the same time", async ({ page, app }) => {
  let s = await demo(page, app);
  const oda = track(s, "dialogue").clips[1];
  await take(page, s, "dialogue", oda);
  // The narrator's line lies there: it is named, and nothing is done without an answer.
  await page.keyboard.press("Control+Shift+ArrowDown");
  const asks = page.getByRole("dialog", { name: /^Write over narrator of Narrator/ });
  await expect(asks.getByRole("button", { name: "Write over it" })).toBeFocused();
  await page.keyboard.press("Escape");
  await expect(asks).toBeHidden();
  expect((await stateOf(page)).revision).toBe(s.revision);
  const free = track(s, "dialogue").clips[4];
  await take(page, s, "dialogue", free);
  s = await edits(page, () => page.keyboard.press("Control+Shift+ArrowDown"));
  const copy = s.tracks.find((t) => t.name === "Narrator")!.clips.find((c) => c.start === free.start)!;
  expect([copy.source, copy.in, copy.length]).toEqual([free.source, free.in, free.length]);
  expect(track(s, "dialogue").clips[4]).toEqual(free);
  s = await edits(page, () => page.keyboard.press("Control+z"));

  // A whole track, with its clips.
  s = await edits(page, () => page.keyboard.press("Control+Shift+d"));
  const was = track(s, "dialogue"),
    made = s.tracks.at(-1)!;
  expect([made.name, made.purpose, made.clips.length]).toEqual(["Dialogue 2", "dialogue", was.clips.length]);
  expect(made.clips.map((c) => [c.source, c.start, c.length])).toEqual(
    was.clips.map((c) => [c.source, c.start, c.length]),
  );
});

test("what was copied is pasted onto the track that is pointed at", async ({ page, app }) => {
  let s = await demo(page, app);
  const clip = track(s, "music").clips[0];
  await take(page, s, "music", clip);
  await page.keyboard.press("Control+c");
  await expect(page.locator(".kept + *, .did").first()).toBeVisible();
  await page.keyboard.press("Home");
  await page.locator("#heads").getByText("Rain", { exact: true }).click();
  s = await edits(page, () => page.keyboard.press("Control+v"));
  const rain = s.tracks.find((t) => t.name === "Rain")!;
  expect(rain.clips[0]).toMatchObject({ source: clip.source, start: 0 });
  expect(track(s, "music").clips).toHaveLength(1);
});
