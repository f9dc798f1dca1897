// Treatments of a clip, a range and a track, by keys and by hand: measured on the samples that the page would play.
import type { Page } from "@playwright/test";
import { bringAndLayOut, demo, edits, expect, newScene, type SceneState, sound, stateOf, take, test } from "./app.ts";

const second = 48000;

interface Treated {
  treatments?: { off?: boolean; compressor?: { threshold_db: number; ratio: number }; echo?: object; reverb?: object };
  filters?: { off?: boolean };
}
const chains = (s: SceneState) =>
  s.tracks.flatMap((t) => t.clips as (SceneState["tracks"][0]["clips"][0] & Treated)[]).filter((c) => c.treatments);

async function heard(page: Page, from: number, n = second): Promise<number> {
  const all = await sound(page, from, n);
  return 10 * Math.log10(all.reduce((sum, v) => sum + v * v, 1e-12) / all.length);
}

/** Draws a range by keys, of whole seconds. */
async function rangeByKeys(page: Page, from: number, to: number): Promise<void> {
  await page.keyboard.press("Home");
  for (let n = 0; n < from; n++) await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("r");
  for (let n = from; n < to; n++) await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("Shift+r");
}

test("a clip is compressed in two actions, its figures are typed, and a key bypasses it", async ({ page, app }) => {
  let s = await demo(page, app);
  const tune = s.tracks.find((t) => t.purpose === "music")!.clips[0],
    at = tune.start + 2 * second,
    was = await heard(page, at);
  await take(page, s, "music", tune);
  await page.keyboard.press("Control+Alt+t"); // 1
  await expect(page.getByRole("dialog", { name: "Treat it" }).getByLabel("With")).toBeFocused();
  s = await edits(page, () => page.keyboard.press("Enter")); // 2
  expect(chains(s)).toHaveLength(1);
  const threshold = page.getByLabel("Compress above");
  await expect(threshold).toHaveValue("-24 dB");
  await threshold.fill("-50");
  s = await edits(page, () => threshold.press("Enter"));
  expect(chains(s)[0].treatments!.compressor!.threshold_db).toBe(-50);
  const down = await heard(page, at);
  expect(down).toBeLessThan(was - 4);
  const ratio = page.getByLabel("Compress ratio");
  await ratio.fill("0.5");
  await ratio.press("Enter");
  await expect(page.locator(".card")).toContainText("the compressor's ratio is 0.5, and 1 to 100 is possible");
  await ratio.press("Escape");
  s = await edits(page, () => page.keyboard.press("Alt+x"));
  expect(chains(s)[0].treatments!.off).toBe(true);
  expect(await heard(page, at)).toBeCloseTo(was, 3);
  await edits(page, () => page.keyboard.press("Alt+x"));
  expect(await heard(page, at)).toBeCloseTo(down, 3);
  await threshold.fill("none");
  s = await edits(page, () => threshold.press("Enter"));
  expect(chains(s)).toHaveLength(0);
});

test("a range is treated between slopes: outside of it not a sample changes, and one undo takes it back", async ({
  page,
  app,
}) => {
  let s = await demo(page, app);
  const clips = s.tracks.flatMap((t) => t.clips).length,
    links = s.tracks.flatMap((t) => t.clips).filter((c) => c.link).length;
  const before = await sound(page, 8 * second, 6 * second);
  await rangeByKeys(page, 9, 12);
  await page.keyboard.press("Control+Alt+t");
  await page.getByRole("dialog", { name: "Treat the range" }).getByLabel("With").selectOption("reverb hall");
  await page.getByLabel("Slopes at its ends").fill("2 f");
  s = await edits(page, () => page.keyboard.press("Enter"));
  expect(chains(s).length).toBeGreaterThan(0);
  expect(s.tracks.flatMap((t) => t.clips).length).toBeGreaterThan(clips);
  expect(s.tracks.flatMap((t) => t.clips).filter((c) => c.link).length).toBeGreaterThanOrEqual(links);
  expect(s.undo).toContain("treated with reverberation");
  const now = await sound(page, 8 * second, 6 * second);
  let inside = 0;
  for (let i = 0; i < now.length; i++) {
    const t = 8 * second + i / 2;
    if (t < 9 * second - 1920 || t > 12 * second + 1920) {
      if (now[i] !== before[i]) throw new Error(`sample ${t} outside of the range changed`);
    } else inside = Math.max(inside, Math.abs(now[i] - before[i]));
  }
  expect(inside).toBeGreaterThan(0.001);
  await rangeByKeys(page, 9, 12);
  s = await edits(page, () => page.keyboard.press("Alt+x")); // of all that lies in the range
  expect(chains(s).every((c) => c.treatments!.off)).toBe(true);
  await edits(page, () => page.keyboard.press("Control+z"));
  s = await edits(page, () => page.keyboard.press("Control+z"));
  expect(chains(s)).toHaveLength(0);
  expect(await sound(page, 8 * second, 6 * second)).toEqual(before);
});

test("a track is treated as a whole, in a scene of one recording without picture", async ({ page, app }) => {
  await newScene(page, app, "Steps");
  await page.keyboard.press("Control+Alt+t");
  await expect(page.locator(".toast")).toContainText("Nothing is in hand to treat");
  await bringAndLayOut(page, ["/usr/share/sounds/alsa/Front_Center.wav"]);
  let s = await stateOf(page);
  const clip = s.tracks.flatMap((t) => t.clips)[0];
  // A second time behind a gap, so that echoes are heard in it.
  await page.request.post(`${page.url()}edits`, {
    data: {
      revision: s.revision,
      edit: {
        edit: "add",
        track: s.tracks.find((t) => t.clips.length)!.id,
        source: clip.source,
        start: 4 * second,
        length: clip.length,
      },
    },
  });
  const gap = clip.start + clip.length + 4800;
  expect(await heard(page, gap, 4800)).toBeLessThan(-100);
  await page
    .getByRole("button", { name: `Track ${s.tracks.find((t) => t.clips.length)!.name}` })
    .first()
    .click();
  await page.keyboard.press("Control+Alt+t");
  const dialog = page.getByRole("dialog", { name: /^Treat track/ });
  await dialog.getByLabel("With").selectOption("echo");
  await dialog.getByRole("button", { name: "Treat", exact: true }).click();
  await expect(page.getByLabel("Echo after")).toHaveValue("250 ms");
  await expect.poll(() => heard(page, gap, 4800)).toBeGreaterThan(-80);
  s = await stateOf(page);
  await page.getByRole("textbox", { name: "Echoes" }).fill("none");
  await edits(page, () => page.getByRole("textbox", { name: "Echoes" }).press("Enter"));
  expect(await heard(page, gap, 4800)).toBeLessThan(-100);
});
