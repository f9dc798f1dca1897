// Clips run faster, slower and backwards, sound and picture together: by keys and by hand, on the demo and without
// picture.
import type { Page } from "@playwright/test";
import {
  bringAndLayOut,
  demo,
  edits,
  expect,
  newScene,
  type SceneState,
  sound,
  stateOf,
  take,
  test,
  track,
} from "./app.ts";

/** The share of a sound's power that lies in the changes from sample to sample: it rises with the pitch. */
function brightness(all: Float32Array): number {
  let changes = 0,
    power = 1e-12;
  for (let i = 2; i < all.length; i += 2) {
    changes += (all[i] - all[i - 2]) ** 2;
    power += all[i] ** 2;
  }
  return changes / power;
}

const clipOf = (s: SceneState, id: string) => s.tracks.flatMap((t) => t.clips).find((c) => c.id === id)!;

async function runs(page: Page, typed: string, follows: boolean): Promise<SceneState> {
  await page.keyboard.press("Control+Alt+s");
  const dialog = page.getByRole("dialog", { name: /^Speed of/ });
  await dialog.getByLabel("Times as fast").fill(typed);
  if (follows) await dialog.getByLabel("What follows").selectOption("follows");
  return edits(page, () => page.keyboard.press("Enter"));
}

test("a clip runs twice as fast with its picture, and its own speed again is the same bits", async ({ page, app }) => {
  let s = await demo(page, app);
  const clips = track(s, "dialogue").clips,
    i = clips.findIndex((c, k) => k > 2 && c.link && c.length > 3 * 48000),
    clip = clips[i],
    picture = track(s, "picture").clips.find((c) => c.link === clip.link)!;
  const before = await sound(page, clip.start, 48000);
  await take(page, s, "dialogue", clip);
  s = await runs(page, "2", false);
  const fast = clipOf(s, clip.id);
  expect(Math.abs(fast.length - clip.length / 2)).toBeLessThan(2000);
  expect(Math.abs(clipOf(s, picture.id).length - picture.length / 2)).toBeLessThanOrEqual(1);
  expect(fast.link).toBeTruthy();
  await expect(page.locator(".card")).toContainText(/(1\.9\d|2|2\.0\d) times its speed/);
  // The picture of its last frame is that of the recording's: it is drawn, not missing.
  await expect(page.locator("#picture")).toHaveAttribute("data-frame", /\d+/);
  s = await edits(page, () => page.getByRole("button", { name: "Its own speed" }).click());
  expect(clipOf(s, clip.id)).toMatchObject({
    start: clip.start,
    length: clip.length,
    in: clip.in,
    source: clip.source,
  });
  expect(await sound(page, clip.start, 48000)).toEqual(before);
  const next = clips[i + 1].start;
  await take(page, s, "dialogue", clip);
  s = await runs(page, "50 %", true);
  expect(clipOf(s, clips[i + 1].id).start - next).toBe(clipOf(s, clip.id).length - clip.length);
  for (let n = 0; n < 3; n++) s = await edits(page, () => page.keyboard.press("Control+z"));
  // A second of it alone, by a range: sound and picture are divided there, and the rest stays.
  await page.keyboard.press("Escape");
  await page.keyboard.press("Home");
  const from = Math.ceil(clip.start / 48000) + 1;
  for (let n = 0; n < from; n++) await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("r");
  await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("Shift+r");
  s = await runs(page, "backwards", false);
  const pieces = track(s, "dialogue").clips.filter((c) => c.start >= clip.start && c.start < clip.start + clip.length);
  expect(pieces.map((c) => c.length).reduce((a, b) => a + b)).toBe(clip.length);
  expect(pieces[1]).toMatchObject({ start: from * 48000, length: 48000 });
  expect(pieces[1].source).not.toBe(clip.source);
  s = await edits(page, () => page.keyboard.press("Control+z"));
  expect(await sound(page, clip.start, 48000)).toEqual(before);
});

test("a recording without picture runs backwards: what was last is first", async ({ page, app }) => {
  await newScene(page, app, "Backwards");
  await page.keyboard.press("Control+Alt+s");
  await expect(page.locator(".toast")).toContainText("No clip is in hand");
  await bringAndLayOut(page, ["/usr/share/sounds/alsa/Front_Center.wav"]);
  let s = await stateOf(page);
  const clip = s.tracks.flatMap((t) => t.clips)[0],
    was = await sound(page, clip.start, clip.length);
  await page.keyboard.press("Home");
  await page.keyboard.press("p");
  s = await runs(page, "backwards", false);
  const now = await sound(page, clip.start, clip.length);
  for (let i = 0; i < was.length; i += 2)
    if (Math.abs(now[i] - was[was.length - 2 - i]) > 1e-6) throw new Error(`sample ${i / 2} is not turned round`);
  await page.keyboard.press("Control+Alt+s");
  const dialog = page.getByRole("dialog", { name: /^Speed of/ });
  await dialog.getByLabel("Times as fast").fill("very");
  await page.keyboard.press("Enter");
  await expect(page.locator(".toast")).toContainText('"very" is not a speed');
  s = await runs(page, "1/2", false);
  expect(Math.abs(clipOf(s, clip.id).length - 2 * clip.length)).toBeLessThan(4);
  expect(brightness(await sound(page, clip.start, clip.length))).toBeLessThan(brightness(was) / 2);
  await page.keyboard.press("Control+Alt+s");
  await dialog.getByLabel("Times as fast").fill("20");
  await page.keyboard.press("Enter");
  await expect(page.locator(".toast")).toContainText("choose a speed from 1/8 to 8");
});
