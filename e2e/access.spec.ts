// Every page, in both lights: nothing that axe-core calls serious, nothing cut off, everything by keyboard.
import AxeBuilder from "@axe-core/playwright";
import { demo, expect, seams, test } from "./app.ts";

test("axe-core finds nothing serious, in linen and by lamp light", async ({ page, app }) => {
  await demo(page, app);
  const scene = page.url();
  await seams(page).nth(5).click();
  const source = Object.keys(
    ((await (await page.request.get(`${scene}state`)).json()) as { sources: object }).sources,
  )[0];
  /** Looks at the page, or a part of it: at all in linen, and by lamp light at what depends on colours. */
  const look = async (where: string, part?: string) => {
    for (const lamp of [false, true]) {
      await page.evaluate((on) => document.documentElement.classList.toggle("lamp", on), lamp);
      let axe = new AxeBuilder({ page }).options({ resultTypes: ["violations"] });
      if (part) axe = axe.include(part);
      if (lamp) axe = axe.withRules(["color-contrast"]);
      const found = (await axe.analyze()).violations.filter((v) => v.impact === "serious" || v.impact === "critical");
      expect(found.map((v) => `${where}: ${v.id}: ${v.nodes.map((n) => n.target).join(", ")}`)).toEqual([]);
    }
    await page.evaluate(() => document.documentElement.classList.remove("lamp"));
  };
  for (const url of [
    app.base,
    scene,
    `${scene}sources`,
    `${scene}sources/${source}/`,
    `${scene}tone`,
    `${scene}loud`,
    `${app.base}/keys`,
    `${scene}hand-over`,
    `${app.base}/scenes/nobody/`,
  ]) {
    if (url !== page.url()) await page.goto(url);
    await look(url);
    const wide = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
    expect(wide, url).toBeLessThanOrEqual(0);
  }
  await page.goto(scene);
  for (const [key, dialog] of [
    ["u", "Past and versions"],
    ["?", "Keys"],
    ["Alt+t", "Add a track"],
    ["i", "Strays"],
  ]) {
    await page.keyboard.press(key);
    await expect(page.getByRole("dialog", { name: dialog })).toBeVisible();
    await look(dialog, "dialog[open]");
    await page.keyboard.press("Escape");
  }
  await page.evaluate(() => localStorage.setItem("blendseam-light", "lamp"));
  await page.reload();
  expect(await page.evaluate(() => document.documentElement.classList.contains("lamp"))).toBe(true);
  await page.evaluate(() => localStorage.removeItem("blendseam-light"));
});

test("the scene fits 1280x800 without scrolling", async ({ page, app }) => {
  await demo(page, app);
  const off = await page.evaluate(() =>
    [...document.querySelectorAll("header, aside, main, #bench, #timeline, .bench-bar, .undo")]
      .filter((e) => {
        const r = e.getBoundingClientRect();
        return r.width > 0 && (r.right > innerWidth + 0.5 || r.bottom > innerHeight + 0.5);
      })
      .map((e) => e.className || e.id || e.tagName),
  );
  expect(off).toEqual([]);
  expect(await page.evaluate(() => document.documentElement.scrollHeight)).toBeLessThanOrEqual(800);
});

test("everything in the scene is reached by Tab, and focus is seen", async ({ page, app }) => {
  await demo(page, app);
  const reached = new Set<string>();
  for (let n = 0; n < 60; n++) {
    await page.keyboard.press("Tab");
    const what = await page.evaluate(() => {
      const e = document.activeElement as HTMLElement;
      return e === document.body
        ? ["BODY", ""]
        : [
            e.id || e.dataset.command || e.dataset.hear || e.dataset.head || e.textContent?.trim() || e.tagName,
            getComputedStyle(e).outlineStyle,
          ];
    });
    reached.add(what[0]);
    if (what[0] !== "BODY") expect(what[1], what[0]).not.toBe("none");
  }
  for (const id of ["play", "search", "seams", "plain", "bench", "timeline", "whole", "keys"])
    expect([...reached]).toContain(id);
});
