// Copies onto other tracks: what is in hand above or below, what was copied where one points, and whole tracks.
import { demo, edits, expect, point, stateOf, take, test, track } from "./app.ts";

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

test("what was copied is pasted only where nobody speaks, and as tone under a clip", async ({ page, app }) => {
  let s = await demo(page, app);
  const rain = s.tracks.find((t) => t.name === "Rain")!.clips[0],
    run = async (words: string) => {
      await page.keyboard.press("/");
      await page.keyboard.type(words);
      await page.keyboard.press("Enter");
    };
  await take(page, s, "effects", s.tracks.find((t) => t.name === "Effects")!.clips[1]);
  await page.keyboard.press("Control+c");
  await expect(page.locator(".did")).toContainText("copied");
  await page.keyboard.press("Home");
  await page.locator("#heads").getByText("Rain", { exact: true }).click();
  s = await edits(page, () => run("paste only where nobody speaks"));
  const laid = s.tracks.find((t) => t.name === "Rain")!.clips[0];
  expect(laid.id).not.toBe(rain.id);
  expect(laid.lulls!.length).toBeGreaterThan(0);
  expect(s.undo).toMatch(/silent under .* of words/);
  s = await edits(page, () => page.keyboard.press("Control+z"));

  const oda = track(s, "dialogue").clips[4];
  await take(page, s, "dialogue", oda);
  s = await edits(page, () => run("paste as tone"));
  const tone = s.tracks.find((t) => t.purpose === "tone")!;
  expect(tone.clips[0].start).toBe(oda.start);
  expect(track(s, "dialogue").clips[4]).toEqual(oda);

  // Back where it came from, over what lies there: that is named first.
  await page.keyboard.press("Home");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+v");
  const asks = page.getByRole("dialog", { name: /^Write over kiln roar of Effects/ });
  await expect(asks.getByRole("button", { name: "Write over it" })).toBeFocused();
  await page.keyboard.press("Escape");
  expect((await stateOf(page)).revision).toBe(s.revision);
});

test("in a range a clip goes over to its copy on another track, and back", async ({ page, app }) => {
  let s = await demo(page, app);
  const oda = track(s, "dialogue").clips.find((c) => c.length > 8 * 48000)!;
  await take(page, s, "dialogue", oda);
  s = await edits(page, () => page.keyboard.press("Control+Shift+d")); // the track with its copy
  const at = (n: number) => point(page, s, "dialogue", oda.start + n, 0.6),
    from = await at(3 * 48000),
    to = await at(5 * 48000);
  await page.keyboard.down("Control");
  await page.keyboard.down("Alt");
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(to.x, to.y + 3, { steps: 4 });
  await page.mouse.up();
  await page.keyboard.up("Alt");
  await page.keyboard.up("Control");
  await page.keyboard.press("/");
  await page.keyboard.type("over to another track and back");
  s = await edits(page, () => page.keyboard.press("Enter"));
  expect(s.undo).toMatch(/over to .* of Dialogue 2 for .*, and back/);
  expect((s as unknown as { pairs: unknown[] }).pairs).toHaveLength(2);
});
