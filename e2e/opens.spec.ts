// How a scene opens, and what keys let be heard of what is in hand.
import type { Page } from "@playwright/test";
import { demo, expect, seams, take, test, track } from "./app.ts";

/** What is fetched to be heard, by part, from the next key on. */
const heard = (page: Page) => {
  const parts: string[] = [];
  page.on("request", (r) => {
    const u = new URL(r.url());
    if (u.pathname.endsWith("/pcm")) parts.push(`${u.searchParams.get("what")} ${u.searchParams.get("from")}`);
  });
  return parts;
};

test("a scene opens on its worst seam; the notes of a first visit are at their places, and go for good", async ({
  page,
  app,
}) => {
  await demo(page, app);
  await page.reload();
  await expect(page.locator(".bench-head h2")).toHaveText(/Seam \d+ of \d+/);
  await expect(page.locator(".card .why")).toContainText("Rough");
  await expect(page.locator("#seams .chosen")).toHaveCount(1);
  const notes = page.getByRole("note");
  await expect(notes.filter({ visible: true })).toHaveCount(0);

  await page.keyboard.press("/");
  await page.getByRole("combobox", { name: "Find a command" }).fill("notes first visit");
  await page.keyboard.press("Enter");
  await expect(notes.filter({ visible: true })).toHaveCount(4);
  for (let left = 3; left >= 0; left--) {
    await page.getByRole("button", { name: "Understood" }).first().click();
    await expect(notes.filter({ visible: true })).toHaveCount(left);
  }
  const read = await page.evaluate(() => JSON.parse(localStorage.getItem("blendseam-notes-read") ?? "[]"));
  expect(read.sort()).toEqual(["of-bench", "of-card", "of-list", "of-time"]);
});

test("a key takes what is there before the scene has opened on its worst seam", async ({ page, app }) => {
  await demo(page, app);
  let go = () => {};
  const held = new Promise<void>((done) => (go = done));
  await page.route("**/seams?*", async (r) => {
    await held;
    await r.continue();
  });
  await page.reload();
  await page.keyboard.press("p");
  await expect(page.locator(".card .big")).toHaveText("wide");
  go();
  await expect(page.locator(".list-head")).toContainText("rough");
  await expect(page.locator(".bench-head h2")).toHaveText("Bench");
});

test("keys let be heard what the card shows: the clip, the range, or the seam", async ({ page, app }) => {
  const s = await demo(page, app),
    parts = heard(page),
    clip = track(s, "dialogue").clips[1];
  await seams(page).filter({ hasText: "Oda, take 1 → Pell, take 1" }).first().click();
  await take(page, s, "dialogue", clip);
  await expect(page.locator(".card .big")).toHaveText(clip.name);
  await page.keyboard.press("1");
  await expect(page.locator(".hearing")).toHaveText(`You hear ${clip.name} alone`);
  await page.keyboard.press("2");
  await expect(page.locator(".hearing")).toHaveText(`You hear ${clip.name} in the scene`);
  for (const how of [", in a loop", ""]) {
    await page.keyboard.press("Shift+Enter"); // the clip still, not the seam on the bench
    await expect(page.locator(".hearing")).toHaveText(`You hear ${clip.name} in the scene${how}`);
  }
  const from = Math.max(0, clip.start - 72000);
  expect(parts).toEqual(expect.arrayContaining([`${clip.id} ${from}`, `scene ${from}`]));
  await page.keyboard.press("5");
  await expect(page.locator(".toast")).toContainText(`The card shows a clip, ${clip.name}`);
  await page.keyboard.press(" ");

  // The bench's own button is about its seam, and takes it in hand.
  await page.getByRole("button", { name: "Outgoing" }).click();
  await expect(page.locator(".hearing")).toHaveText("You hear the outgoing clip alone");
  await expect(page.locator(".card .big")).toContainText("→");
  await page.keyboard.press(" ");

  // What is in hand plays to the sample, once or round and round; how much is heard around an audition can be set.
  await take(page, s, "dialogue", clip);
  parts.length = 0;
  await page.keyboard.press("Shift+ ");
  await expect.poll(() => parts[0]).toBe(`scene ${clip.start}`);
  await expect(page.locator("#play")).toContainText("Stop");
  await page.keyboard.press("Shift+ ");
  await expect(page.locator("#play")).toContainText("Play");
  await page.keyboard.press("Control+ ");
  await expect(page.getByRole("button", { name: "Loop" })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press(" ");
  await page.getByRole("button", { name: "1.5 s around" }).click();
  await page.getByRole("dialog").getByRole("textbox").fill("0,5 3");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: "0.5 s before, 3 s after" })).toBeVisible();
  parts.length = 0;
  await page.keyboard.press("2");
  await expect.poll(() => parts).toContain(`scene ${Math.max(0, clip.start - 24000)}`);
});

test("the overview shows what the timeline shows, is dragged by its middle and its ends, and comes to a click", async ({
  page,
  app,
}) => {
  await demo(page, app);
  const box = (await page.locator("#overview").boundingBox())!,
    ruler = () =>
      page.locator("#timeline").evaluate((c: HTMLCanvasElement) => {
        const g = c.getContext("2d")!.getImageData(0, 0, c.width, 26).data;
        return Array.from(g).reduce((sum, v, i) => (sum * 31 + v * (i % 97)) % 1_000_003, 7);
      }),
    middle = { x: box.x + box.width / 2, y: box.y + 12 };
  const whole = await ruler();
  for (let n = 0; n < 4; n++) await page.keyboard.press("Alt+ArrowUp"); // closer
  await expect.poll(ruler).not.toBe(whole);
  const closer = await ruler();
  await page.mouse.click(middle.x, middle.y);
  await expect.poll(ruler).not.toBe(closer);
  const there = await ruler();
  await page.mouse.move(middle.x, middle.y);
  await expect(page.locator("#overview")).toHaveCSS("cursor", "grab");
  await page.mouse.down();
  await page.mouse.move(middle.x + 80, middle.y, { steps: 4 });
  await page.mouse.up();
  await expect.poll(ruler).not.toBe(there);
  // the start of the window is drawn out to the left: more is shown
  const shown = () => page.locator("#overview").evaluate((c: HTMLCanvasElement) => c.style.cursor);
  await page.mouse.move(middle.x + 80, middle.y);
  let x = middle.x + 80;
  while ((await shown()) !== "ew-resize" && x > box.x) await page.mouse.move((x -= 2), middle.y);
  const held = await ruler();
  await page.mouse.down();
  await page.mouse.move(x - 100, middle.y, { steps: 4 });
  await page.mouse.up();
  await expect.poll(ruler).not.toBe(held);
});
