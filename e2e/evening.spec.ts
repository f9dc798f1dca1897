// Takes are brought to one room by a key; what is heard then is measured on the samples that the page would play.
import type { Page } from "@playwright/test";
import { demo, edits, expect, home, type SceneState, sound, test, track } from "./app.ts";

interface Evened {
  id: string;
  name: string;
  start: number;
  length: number;
  room?: { decay?: object };
}
const dialogue = (s: SceneState) => track(s, "dialogue").clips as Evened[];

/** The background of a clip as it would be heard: the quietest tenth of its stretches of 60 ms, dBFS. */
async function background(page: Page, c: Evened): Promise<number> {
  const all = await sound(page, c.start + 4800, c.length - 9600),
    step = 2 * 2880, // of both channels
    levels = Array.from({ length: Math.floor(all.length / step) }, (_, i) => {
      const part = all.subarray(i * step, (i + 1) * step);
      return 10 * Math.log10(part.reduce((sum, v) => sum + v * v, 0) / step + 1e-12);
    });
  return levels.sort((a, b) => a - b)[Math.floor(levels.length / 10)];
}

test("all takes are brought to one room by keys, heard before, and taken back", async ({ page, app }) => {
  let s = await demo(page, app);
  const places = dialogue(s).map((c) => [c.start, c.length]);
  await page.keyboard.press("/");
  await page.getByRole("combobox", { name: "Find a command" }).fill("match noise");
  await page.locator("#found li", { hasText: "the room of the clip in hand" }).click();
  await expect(page.getByRole("alert")).toContainText("Take the clip in hand whose room all are to have");

  await page.keyboard.press("Shift+U");
  const dialog = page.locator(".list-dialog");
  await expect(dialog).toContainText("All takes to one room");
  await expect(dialog).toContainText("dBFS laid under it");
  await expect(dialog).toContainText("narrator");
  await expect(dialog).toContainText("others sound all the time that it does");

  // heard as it is, and as it would be
  for (const then of [false, true]) {
    const sound = page.waitForResponse((r) => r.url().includes("/pcm?") && r.url().includes("evening=") === then);
    const as = then ? "would be" : "is";
    await dialog.getByRole("button", { name: new RegExp(`^Hear Oda, take 1.* as it ${as}$`) }).click();
    expect((await sound).ok()).toBe(true);
  }

  // Oda and Pell, before it rains: their rooms as loud as one another
  const both = dialogue(s).filter((c) => /take 1|Oda, take 2/.test(c.name) && c.length > 96000 && c.start < 54 * 48000);
  expect(both.length).toBeGreaterThan(4);
  const apart = async (list: Evened[]) => {
    const all = await Promise.all(list.map((c) => background(page, c)));
    return Math.max(...all) - Math.min(...all);
  };
  expect(await apart(both)).toBeGreaterThan(5);
  s = await edits(page, () => dialog.getByRole("button", { name: /^Do these/ }).click());
  expect(dialogue(s).filter((c) => c.room).length).toBeGreaterThan(10);
  expect(dialogue(s).map((c) => [c.start, c.length])).toEqual(places);
  expect(await apart(dialogue(s).filter((c) => both.some((x) => x.id === c.id)))).toBeLessThan(2);

  // no seam is heard by its background any more, where the kiln's roar and the rain set in with a cut neither
  const heard = async () => {
    const { pending, set } = (await (await page.request.get(`${home(page)}/seams`)).json()) as {
      pending: number;
      set: { tc: string; cause: string }[];
    };
    if (pending > 0 || set.length < 20) return "still measuring";
    return set.filter((x) => /background|colour|rooms/.test(x.cause)).map((x) => `${x.cause} at ${x.tc}`);
  };
  await expect.poll(heard).toEqual([]);

  // a clip is let out again from its card
  await page.keyboard.press("Home");
  await page.keyboard.press("p");
  const card = page.getByRole("complementary", { name: "Card" });
  await expect(card).toContainText(/Room laid under\s*-\d+\.\d dBFS/);
  const count = dialogue(s).filter((c) => c.room).length;
  s = await edits(page, () => card.getByRole("button", { name: /Its own room again/ }).click());
  expect(dialogue(s).filter((c) => c.room).length).toBe(count - 1);
  await edits(page, () => page.keyboard.press("Control+z"));
  s = await edits(page, () => page.keyboard.press("Control+z"));
  expect(dialogue(s).some((c) => c.room)).toBe(false);
});

test("the rooms of all takes stand under the target, are chosen, heard, ticked and brought to it", async ({
  page,
  app,
}) => {
  await demo(page, app);
  const home_ = home(page);
  await page.goto(`${home_}/rooms`);
  const rows = page.locator("table.rooms tbody tr");
  await expect(rows.first()).toBeVisible();
  expect(await rows.count()).toBeGreaterThan(3);
  await expect(rows.first()).toContainText(/-\d+\.\d dBFS/);
  await expect(page.getByText(/The target has -\d+\.\d dBFS/)).toContainText("against the loudest");
  // the target is drawn over all: in its own colour
  const amber = () =>
    page.locator("#rooms-drawn").evaluate((c: HTMLCanvasElement) => {
      const { data } = c.getContext("2d")!.getImageData(0, 0, c.width, c.height);
      let n = 0;
      for (let i = 0; i < data.length; i += 4) if (data[i] > 180 && data[i + 1] > 110 && data[i + 2] < 60) n++;
      return n;
    });
  expect(await amber()).toBeGreaterThan(300);

  const target = () => page.getByText(/The target has/).textContent();
  const natural = await target();
  await page.getByLabel("Bring all to a room").selectOption("quiet");
  await expect(page.getByText(/hushed by \d/).first()).toBeVisible();
  expect(await target()).not.toBe(natural);
  await page.getByLabel("hushed by at most").selectOption("0");
  await expect(page.getByText(/hushed by \d/)).toHaveCount(0);

  // drier voices are given the room of the others only when that is asked for
  await expect(page.getByText(/reverberation of \d/)).toHaveCount(0);
  await page.getByLabel(/and their voices/).check();
  await expect(page.getByText(/reverberation of \d/).first()).toBeVisible();

  const sound = page.waitForResponse((r) => /\/pcm\?.*evening=quiet.*voices=1/.test(r.url()));
  await rows
    .nth(1)
    .getByRole("button", { name: /^As it would be/ })
    .click();
  expect((await sound).ok()).toBe(true);
  // the other goes on at the same moment
  await expect(rows.nth(1).getByRole("button", { name: /^Stop/ })).toHaveText("Stop");
  await rows
    .nth(1)
    .getByRole("button", { name: /^As it is/ })
    .click();
  await expect(rows.nth(1).getByRole("button").first()).toHaveText("Stop");
  await expect(rows.nth(1).getByRole("button").last()).toHaveText("As it would be");
  await page.getByRole("button", { name: /^Stop/ }).click();
  await expect(page.getByRole("button", { name: /^Stop/ })).toHaveCount(0);

  const rooms = async () => {
    const s = (await (await page.request.get(`${home_}/state`)).json()) as SceneState;
    return dialogue(s)
      .filter((c) => c.room)
      .map((c) => `${c.name}${c.room?.decay ? " answered" : ""}`);
  };
  const without = (await rows.nth(1).locator("b").textContent())!.replace(/, \d+ clips/, "");
  await rows.nth(1).getByRole("checkbox").click();
  await page.getByRole("button", { name: "Bring the ticked takes to one room" }).click();
  await expect(page.getByRole("alert")).toContainText("brought to one room");
  const evened = await rooms();
  expect(evened.length).toBeGreaterThan(4);
  expect(evened.some((name) => name.startsWith(without))).toBe(false);
  expect(evened.some((name) => name.endsWith(" answered"))).toBe(true);
  await page.getByRole("button", { name: "Take it back" }).click();
  await expect.poll(rooms).toEqual([]);
});
