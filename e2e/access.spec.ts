// Every page and dialog, in both lights, on a desk and on a phone: nothing that axe-core calls serious, nothing cut
// off, everything by keyboard.
import { createRequire } from "node:module";
import type { AxeResults, RunOptions } from "axe-core";
import { demo, expect, seams, test } from "./app.ts";

const axe = createRequire(import.meta.url).resolve("axe-core/axe.min.js");

test.describe.configure({ mode: "parallel" });

/**
 * Sizes of the window, the lights in which axe-core looks, and its rules where not all are asked: by lamp light only
 * colours differ, on a phone only what is scrolled and pressed.
 */
const sizes: { width: number; height: number; lights: boolean[]; rules?: string[] }[] = [
  { width: 1280, height: 800, lights: [false, true] },
  { width: 1024, height: 700, lights: [] },
  { width: 390, height: 844, lights: [false], rules: ["scrollable-region-focusable", "target-size"] },
];

test("axe-core finds nothing serious, and nothing is wider than the window, on every page and in every dialog", async ({
  page,
  app,
}) => {
  await page.addInitScript({ path: axe });
  await page.goto(app.base);
  await page.getByRole("button", { name: "Load the demo again" }).click();
  await expect(page.locator("h1")).toHaveText("Kiln Night");
  const scene = page.url();
  await seams(page).nth(5).click();
  const source = Object.keys(
    ((await (await page.request.get(`${scene}state`)).json()) as { sources: object }).sources,
  )[0];
  /** Looks at the page, or a part of it: at all in linen, and by lamp light at what depends on colours. */
  const look = async (where: string, part?: string) => {
    for (const { width, height, lights, rules } of sizes)
      await lookAt(`${where} at ${width}x${height}`, { width, height }, { lights, rules }, part);
    await page.setViewportSize(sizes[0]);
  };
  const lookAt = async (
    where: string,
    size: { width: number; height: number },
    { lights, rules }: { lights: boolean[]; rules?: string[] },
    part?: string,
  ) => {
    await page.setViewportSize(size);
    await page.evaluate(() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done))));
    for (const lamp of lights) {
      await page.evaluate((on) => document.documentElement.classList.toggle("lamp", on), lamp);
      const options: RunOptions = { resultTypes: ["violations"] };
      if (lamp || rules) options.runOnly = lamp ? ["color-contrast"] : rules;
      const { violations } = await page.evaluate(
        ({ part, options }): Promise<AxeResults> =>
          (window as unknown as { axe: { run(on: unknown, o: unknown): Promise<AxeResults> } }).axe.run(
            part ?? document,
            options,
          ),
        { part, options },
      );
      const found = violations.filter((v) => v.impact === "serious" || v.impact === "critical");
      expect.soft(found.map((v) => `${where}: ${v.id}: ${v.nodes.map((n) => n.target).join(", ")}`)).toEqual([]);
    }
    await page.evaluate(() => document.documentElement.classList.remove("lamp"));
    const wide = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
    expect.soft(wide, `${where} is wider than the window`).toBeLessThanOrEqual(0);
  };
  for (const url of [
    app.base,
    scene,
    `${scene}sources`,
    `${scene}sources/${source}/`,
    `${scene}tone`,
    `${scene}loud`,
    `${scene}rooms`,
    `${scene}voices`,
    `${scene}report`,
    `${scene}hand-over`,
    `${scene}come-back`,
    `${scene}remarks`,
    `${scene}listen`,
    `${app.base}/keys`,
    `${app.base}/settings`,
    `${app.base}/people`,
    `${app.base}/scenes/nobody/`,
  ]) {
    if (url !== page.url()) await page.goto(url);
    await look(url);
  }
  await page.goto(app.base);
  await page.getByRole("button", { name: "New scene" }).click();
  await look("New scene", "dialog[open]");
  await page.goto(scene);
  await expect(page.locator(".list-head")).toContainText("rough");
  await page.evaluate(() => document.dispatchEvent(new CustomEvent("notes", localStorage.clear() as undefined)));
  await look("the notes of a first visit");
  for (const [keys, dialog] of [
    [["u"], "Past and versions"],
    [["?"], "Keys"],
    [["/"], "Find a command"],
    [["Alt+t"], "Add a track"],
    [["i"], "Strays"],
    [["Shift+B"], "Blend"],
    [["Control+m"], "Mend all"],
  ] as const) {
    for (const k of keys) await page.keyboard.press(k);
    await expect(page.getByRole("dialog", { name: dialog })).toBeVisible();
    if (dialog === "Mend all") await expect(page.getByRole("dialog").getByRole("row").nth(3)).toBeVisible();
    await look(dialog, "dialog[open]");
    await page.keyboard.press("Escape");
  }
  await page.keyboard.press("Control+v"); // which says why it cannot act
  await expect(page.locator(".toast")).toBeVisible();
  await look("what is said", ".toast");
});

test("the light that was chosen stays", async ({ page, app }) => {
  await page.goto(app.base);
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
            e.id || e.dataset.command || e.dataset.head || e.textContent?.trim() || e.tagName,
            getComputedStyle(e).outlineStyle,
          ];
    });
    reached.add(what[0]);
    if (what[0] !== "BODY") expect(what[1], what[0]).not.toBe("none");
  }
  for (const id of ["play", "search", "seams", "bench_plain", "bench", "timeline", "whole", "keys"])
    expect([...reached]).toContain(id);
});
