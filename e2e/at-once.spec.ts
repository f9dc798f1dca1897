// What a key does is drawn at once, before the server has answered; the answer confirms it or takes it back.
import type { Route } from "@playwright/test";
import { clipOf, demo, expect, kept, seams, stateOf, test, track } from "./app.ts";

for (const [what, keys, edit] of [
  ["a gain", ["="], "gain"],
  ["a blend", ["b"], "set_blend"],
  ["a roll", ["."], "nudge"],
] as const)
  test(`${what} is drawn while the server has not answered, and taken back if it refuses`, async ({ page, app }) => {
    // from before the page opens: one that is loaded already may not be stopped at once
    let held: Route | undefined,
      holds = false;
    await page.route("**/edits", (r) => (holds ? void (held = r) : r.continue()));
    const s = await demo(page, app);
    await seams(page).filter({ hasText: "Oda, take 1 → Pell, take 1" }).first().click();
    if (edit === "gain") for (const k of ["p", "Home"]) await page.keyboard.press(k);
    if (edit === "gain") await page.keyboard.press("p");
    const timeline = page.locator("#timeline"),
      drawn = () => timeline.evaluate((c: HTMLCanvasElement) => c.toDataURL());
    await page.waitForLoadState("networkidle"); // waveforms and what an edge may do have come
    const before = await drawn();
    holds = true;
    await page.keyboard.press(keys[0]);
    await expect(timeline).toHaveAttribute("data-outline", /./);
    await expect.poll(drawn).not.toBe(before);
    expect((await stateOf(page)).revision).toBe(s.revision);
    await expect.poll(() => !!held).toBe(true);
    await held!.fulfill({ status: 422, json: { message: "This is refused for the sake of the test." } });
    await expect(page.locator(".toast")).toContainText("refused for the sake");
    await expect(timeline).toHaveAttribute("data-outline", "");

    holds = false;
    await page.keyboard.press(keys[0]);
    await kept(page, s.revision + 1);
    await expect(timeline).toHaveAttribute("data-outline", "");
    await expect.poll(drawn).not.toBe(before);
    const now = await stateOf(page);
    if (edit === "set_blend") expect(track(now, "dialogue").blends).toHaveLength(1);
    if (edit === "gain")
      expect(track(now, "dialogue").clips.some((c) => (c.gain_db ?? 0) !== (clipOf(s, c.id).gain_db ?? 0))).toBe(true);
  });

test("mending says at once that it looks, for one seam and for all, and Escape stops it", async ({ page, app }) => {
  const held: Route[] = [];
  let holds = true;
  for (const what of ["**/proposal?*", "**/mend"])
    await page.route(what, (r) => (holds ? void held.push(r) : r.continue()));
  const s = await demo(page, app);
  await seams(page).filter({ hasText: "Oda, take 1 → Pell, take 1" }).first().click();
  await page.keyboard.press("m");
  await expect(page.locator(".did")).toHaveText("Looking for what mends it … Escape stops it");
  await page.keyboard.press("Escape");
  await expect(page.locator(".did")).toHaveText("Stopped; nothing was done");

  const list = page.locator(".list-dialog");
  await page.keyboard.press("Control+m");
  await expect(list).toContainText("Looking for what mends each seam");
  await page.keyboard.press("Escape");
  await expect(list).toBeHidden();
  holds = false;
  for (const r of held) await r.continue().catch(() => {});
  // One list is closed and the next one opened at once: the one's end is not the other's.
  await page.keyboard.press("Control+m");
  await page.evaluate(() => {
    document.querySelector<HTMLDialogElement>(".list-dialog")!.close();
    document.body.dispatchEvent(new KeyboardEvent("keydown", { key: "m", ctrlKey: true, bubbles: true }));
  });
  await expect(list.getByRole("row").nth(3)).toBeVisible();
  expect((await stateOf(page)).revision).toBe(s.revision);
});
