// What is too loud has a list of its own: place, track, clip, figure, and what turns it down.
import { clipOf, demo, expect, stateOf, test, track } from "./app.ts";

test("what is too loud is listed, found in the scene, and turned down", async ({ page, app }) => {
  await demo(page, app);
  const scene = page.url();
  await page.getByRole("link", { name: "Too loud" }).click();
  // The tune passes full scale between its samples, as ffmpeg's ebur128 says of the rendered scene as well: 2.0 dBTP.
  const rows = page.locator("tbody tr");
  await expect(page.getByRole("status")).toHaveText("4 places");
  await expect(rows.filter({ hasText: "evening tune" })).toHaveCount(4);
  await expect(rows.filter({ hasText: "+2.0 dBTP" })).toContainText("full scale, by 2.0 dB");

  const before = await (await page.request.get(`${scene}state`)).json();
  const clip = track(before, "dialogue").clips.find((c) => c.name === "Oda, take 1")!;
  await page.request.post(`${scene}edits`, {
    data: { revision: before.revision, edit: { edit: "gain", clips: [clip.id], db: 12 } },
  });
  const row = rows.filter({ hasText: clip.name }).first(); // the page hears of the edit
  await expect(row).toContainText(/(the band|full scale), by \d+\.\d dB/);

  // The list finds by words, and says how many it shows.
  await page.getByRole("searchbox").fill("nobody's clip");
  await expect(page.getByRole("status")).toHaveText(/^0 of \d+ places$/);
  await page.getByRole("searchbox").fill("");

  // Its place is a way into the scene, the clip in hand.
  await row.getByRole("link").click();
  await expect(page.locator(".card h2")).toContainText(clip.name);
  await page.goBack();

  // Turned down as often as it says, nothing is left, and no further than it must.
  while (!(await page.getByRole("status").textContent())?.startsWith("Nothing")) {
    const n = await rows.count();
    if (n > 0) await rows.first().getByRole("button").click();
    await expect.poll(async () => (await rows.count()) < n || n === 0).toBe(true);
  }
  await page.goto(scene);
  const gain = clipOf(await stateOf(page), clip.id).gain_db ?? 0;
  expect(gain).toBeLessThan(12);
  expect(gain).toBeGreaterThan(0);
});
