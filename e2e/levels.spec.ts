// Levels over time: what is turned up or down is measured on the samples that the page would play.
import type { Page } from "@playwright/test";
import { demo, edits, expect, sound, stateOf, test } from "./app.ts";

const second = 48000;

/** The level of a stretch of the scene as it would be heard, dBFS. */
async function heard(page: Page, from: number, to: number): Promise<number> {
  const all = await sound(page, from, to - from);
  return 10 * Math.log10(all.reduce((sum, v) => sum + v * v, 0) / all.length);
}

test("a range is turned down by a key, with slopes, and taken back", async ({ page, app }) => {
  const s = await demo(page, app);
  const inside = () => heard(page, 9 * second, 11 * second),
    beside = () => heard(page, 12 * second, 14 * second),
    was = [await inside(), await beside()];
  await page.keyboard.press("Home");
  for (let n = 0; n < 8; n++) await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("r");
  for (let n = 0; n < 4; n++) await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("ArrowLeft");
  await page.keyboard.press("Shift+r");
  let now = s;
  for (let n = 0; n < 3; n++) now = await edits(page, () => page.keyboard.press("-"));
  const lines = now.tracks.flatMap((t) => t.clips).filter((c) => c.level?.length);
  expect(lines.length).toBeGreaterThan(1); // of all tracks that sound there
  expect((await inside()) - was[0]).toBeCloseTo(-3, 1);
  expect((await beside()) - was[1]).toBeCloseTo(0, 1);
  // by a figure, with longer slopes
  await page.getByRole("button", { name: "Louder, softer" }).click();
  await page.getByLabel("By how many dB").fill("-6,5");
  await page.getByLabel("Slopes before and after it").selectOption("320");
  await edits(page, () => page.getByRole("button", { name: "Turn it", exact: true }).click());
  expect((await inside()) - was[0]).toBeCloseTo(-9.5, 1);
  await edits(page, () => page.keyboard.press("Control+z"));
  await page.keyboard.press("=");
  await expect.poll(inside).toBeCloseTo(was[0] - 2, 1);
  // the line of one clip is taken off as a whole
  await page.keyboard.press("Escape");
  await page.keyboard.press("p");
  await page.keyboard.press("/");
  await page.getByRole("combobox", { name: "Find a command" }).fill("take the level lines off");
  now = await edits(page, () => page.keyboard.press("Enter"));
  expect(now.tracks.flatMap((t) => t.clips).filter((c) => c.level?.length).length).toBe(lines.length - 1);
  for (let n = 0; n < 5; n++) await edits(page, () => page.keyboard.press("Control+z"));
  expect(await inside()).toBeCloseTo(was[0], 3);
  now = await stateOf(page);
  expect(now.tracks.flatMap((t) => t.clips).some((c) => c.level?.length)).toBe(false);
});
