// A recording whose file is gone.
import { rmSync } from "node:fs";
import { join } from "node:path";
import { demo, expect, test } from "./app.ts";

interface Row {
  id: string;
  kind: string;
  left: string;
  right: string;
  right_name: string;
}

test("what lies beside a recording that is gone says so, all else is measured, and the page rests", async ({
  page,
  app,
}) => {
  const s = await demo(page, app),
    path = new URL(page.url()).pathname;
  const list = (await (await page.request.get(`${app.base}${path}seams`)).json()).set as Row[];
  const at = list.findIndex((x) => x.kind === "cut" && x.right_name === "Oda, take 2"),
    cut = list[at];
  const clip = s.tracks.flatMap((t) => t.clips).find((c) => c.id === cut.right)!;
  await page.goto("about:blank");
  await app.stop();
  rmSync(join(app.dir, "media", clip.source), { recursive: true });
  app.gone.push(clip.source);
  await app.start();
  const pending: number[] = [];
  page.on("response", async (r) => {
    if (r.url().includes("/seams") && r.ok()) pending.push(((await r.json()) as { pending: number }).pending);
  });
  await page.goto(app.base + path);
  await expect(page.locator(".list-head")).toContainText(/rough .* not measured/);
  await expect.poll(() => pending.at(-1)).toBe(0); // so nothing is asked for again
  for (let n = 0; n <= at; n++) await page.keyboard.press("ArrowDown");
  await expect(page.locator(`[data-seam="${cut.id}"] .why`)).toContainText(
    "cannot be measured: the sound of Oda, take 2 is not in the media folder; bring it in again",
  );
  await expect(page.locator(".card .why")).toContainText("Not measured");

  // Brought in again, with the demo, it is measured like the others.
  await page.goto("about:blank"); // what that page still asks for is gone with it
  app.gone.splice(0);
  await demo(page, app);
  await expect(page.locator(".list-head")).not.toContainText("being measured");
  await expect(page.locator(".list-head")).not.toContainText("not measured");
});
