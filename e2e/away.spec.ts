// The server goes and comes back; what was said of a refusal is over once something succeeds.
import { App, demo, edits, expect, stateOf, test, track } from "./app.ts";

test("the page says that the server is away, and when it is back", async ({ browser }) => {
  const page = await browser.newPage(); // what it says in its console while the server is away is no fault
  const own = new App();
  await own.start();
  const port = new URL(own.base).port;
  const clip = track(await demo(page, own), "dialogue").clips[1];
  await page.goto(`${page.url()}?clip=${clip.id}`);
  const kept = page.locator(".kept");
  await expect(kept).toContainText("All kept");
  await own.stop("SIGKILL");
  await expect(kept).toContainText("does not answer");
  await own.start("serve", "--listen", `127.0.0.1:${port}`);
  await expect(kept).toContainText("All kept");
  await edits(page, async () => {
    await page.locator("#timeline").focus();
    await page.keyboard.press("-");
  });
  await page.close();
  await own.stop();
  own.remove();
});

test("a refusal's line goes when something is done, and all undone says so", async ({ page, app }) => {
  await demo(page, app);
  const clip = track(await stateOf(page), "dialogue").clips[1];
  await page.goto(`${page.url()}?clip=${clip.id}`);
  await page.locator("#timeline").focus();
  const alert = page.getByRole("alert");
  await page.keyboard.press("Control+Shift+z");
  await expect(alert).toContainText("There is nothing to redo");
  await edits(page, () => page.keyboard.press("-"));
  await expect(alert).toBeHidden();
  await edits(page, () => page.keyboard.press("Control+z"));
  await page.keyboard.press("Control+z");
  await expect(alert).toContainText("Every edit is undone");
});
