// The window's parts: none lies over another from 1024x700 up, a larger window is the bench's, bars between them stay
// where they are left; on a phone the page is for listening and accepting.
import type { Page } from "@playwright/test";
import { demo, expect, seams, stateOf, test } from "./app.ts";

const PARTS = [
  ".list",
  ".bench-top",
  ".bench-view",
  ".bench-bar:not(.second)",
  ".bench-bar.second",
  ".time",
  ".card",
  ".strip",
];

/** The parts that lie over one another, and the controls of one that reach out of it. */
const faults = (page: Page) =>
  page.evaluate((parts) => {
    const out: string[] = [];
    const shown = parts
      .map((name) => ({ name, el: document.querySelector<HTMLElement>(name)! }))
      .filter((p) => p.el && p.el.offsetParent !== null)
      .map((p) => ({ ...p, box: p.el.getBoundingClientRect() }));
    for (const [i, a] of shown.entries())
      for (const b of shown.slice(i + 1)) {
        const x = Math.min(a.box.right, b.box.right) - Math.max(a.box.left, b.box.left),
          y = Math.min(a.box.bottom, b.box.bottom) - Math.max(a.box.top, b.box.top);
        if (x > 1 && y > 1) out.push(`${a.name} lies over ${b.name} by ${Math.round(x)}x${Math.round(y)}`);
      }
    for (const p of shown.filter((x) => x.name !== ".list" && x.name !== ".card"))
      for (const c of p.el.querySelectorAll<HTMLElement>("button, input, select, canvas")) {
        const box = c.getBoundingClientRect();
        if (!box.width || c.closest(".heads")) continue;
        if (box.left < p.box.left - 1 || box.right > p.box.right + 1 || box.bottom > p.box.bottom + 1)
          out.push(`${c.textContent || c.id || c.tagName} reaches out of ${p.name}`);
      }
    if (document.documentElement.scrollWidth > innerWidth + 1) out.push("the page is wider than the window");
    return out;
  }, PARTS);

test("nothing lies over anything from 1024x700 up, and a larger window is the bench's", async ({ page, app }) => {
  await demo(page, app);
  await page.keyboard.press("ArrowDown");
  const bench: number[] = [];
  for (const [width, height] of [
    [1024, 700],
    [1280, 800],
    [1536, 864],
    [2560, 1440],
  ]) {
    await page.setViewportSize({ width, height });
    for (const n of [0, 3, 7]) {
      await seams(page).nth(n).click();
      await expect(page.locator(".bench-head h2")).toContainText("Seam");
      expect(await faults(page), `${width}x${height}`).toEqual([]);
    }
    bench.push(await page.evaluate(() => document.querySelector("#bench")!.clientHeight));
  }
  expect(bench[0]).toBeGreaterThan(90);
  expect(bench[3]).toBeGreaterThan(2 * bench[1]);
  expect(await page.evaluate(() => document.querySelector("#bench")!.clientWidth)).toBeGreaterThan(1700);
});

test("bars between the parts are dragged, moved by keys, and remembered", async ({ page, app }) => {
  await demo(page, app);
  const width = () => page.evaluate(() => document.querySelector(".list")!.clientWidth);
  const bar = page.getByRole("separator", { name: "Width of the seam list" });
  const was = await width(),
    box = (await bar.boundingBox())!;
  await page.mouse.move(box.x + 4, 400);
  await page.mouse.down();
  await page.mouse.move(box.x + 84, 400, { steps: 4 });
  await page.mouse.up();
  expect(await width()).toBe(was + 80);
  await bar.focus();
  await page.keyboard.press("ArrowLeft");
  expect(await width()).toBe(was + 70);
  const tall = page.getByRole("separator", { name: "Height of the bench" });
  await tall.focus();
  const height = () => page.evaluate(() => document.querySelector(".bench")!.clientHeight);
  const before = await height();
  await page.keyboard.press("Shift+ArrowDown");
  expect(await height()).toBe(before + 40);
  await page.reload();
  expect(await width()).toBe(was + 70);
  expect(await height()).toBe(before + 40);
  expect(await faults(page)).toEqual([]);
  await bar.dblclick();
  expect(await width()).toBe(was);
});

test("on a phone seams are heard, judged and accepted by touch", async ({ browser, page, app }) => {
  await demo(page, app);
  const url = page.url();
  const context = await browser.newContext({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true });
  const phone = await context.newPage();
  const errors: string[] = [];
  phone.on("pageerror", (e) => errors.push(String(e)));
  phone.on("response", (r) => r.status() >= 400 && errors.push(`${r.status()} ${r.url()}`));
  await phone.goto(url);
  await expect(phone.locator(".list-head")).toContainText("rough");
  expect(await phone.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
  await phone.getByRole("button", { name: "Worst first" }).tap();
  await seams(phone).first().tap();
  await expect(phone.locator(".card .why")).toContainText("Rough");
  for (const name of [/^Plain/, /^Blended/, /Worst first/, /^Accept/]) {
    const box = (await phone.getByRole("button", { name }).first().boundingBox())!;
    expect(box.height, String(name)).toBeGreaterThanOrEqual(40);
  }
  const heard = phone.waitForResponse((r) => r.url().includes("/pcm?") && r.ok());
  await phone.getByRole("button", { name: /^Plain/ }).tap();
  await heard;
  await phone.getByRole("button", { name: /^Accept/ }).tap();
  const note = phone.getByRole("dialog").getByRole("textbox");
  await note.fill("too tight, but it stays");
  await phone
    .getByRole("dialog")
    .getByRole("button", { name: /Accept|Let it be|Do it/ })
    .tap();
  await expect
    .poll(async () => JSON.stringify(await (await phone.request.get(`${url}state`)).json()))
    .toContain("too tight, but it stays");
  expect(errors).toEqual([]);
  await context.close();
  await stateOf(page);
});
