// Voices at one loudness, drowned words, ducking, level points and treatments, by hand and by keys; what they do is
// measured on the samples that the page would play.
import type { Page } from "@playwright/test";
import { demo, edits, expect, home, sound, stateOf, test } from "./app.ts";

const second = 48000;

async function heard(page: Page, from: number, to: number): Promise<number> {
  const all = await sound(page, from, to - from);
  return 10 * Math.log10(all.reduce((sum, v) => sum + v * v, 0) / all.length + 1e-12);
}

/** The row of a track in the timeline: its middle, in pixels of the page. */
async function rowOf(page: Page, name: string): Promise<number> {
  const box = await page.locator(".head", { has: page.getByRole("button", { name: `Track ${name}` }) }).boundingBox();
  return box!.y + box!.height / 2;
}

/** Where a moment lies in the timeline that shows the whole scene, in pixels of the page: by the playhead. */
async function xOf(page: Page, clip: { start: number; length: number }, share: number): Promise<number> {
  const s = await stateOf(page),
    box = (await page.locator("#timeline").boundingBox())!,
    end = Math.max(
      ...s.tracks
        .filter((t) => t.kind === "sound")
        .flatMap((t) => t.clips)
        .map((c) => c.start + c.length),
    );
  return box.x + (0.97 * box.width * (clip.start + share * clip.length)) / end;
}

test("voices are brought to one loudness, and back", async ({ page, app }) => {
  await demo(page, app);
  await page.goto(`${home(page)}/voices`);
  await expect(page.getByRole("status").first()).toContainText("clips with words");
  const rows = page.locator("table.voices tbody tr");
  const wide = rows.filter({ hasText: "wide" });
  await expect(wide.getByRole("checkbox")).not.toBeChecked(); // over +6 dB
  await expect(wide).toContainText("starts to sound wrong");
  await page.getByLabel("Bring the words of all clips to").selectOption("figure");
  await page.getByLabel("Loudness of words in LUFS").fill("-24");
  await page.getByLabel("Loudness of words in LUFS").press("Enter");
  await expect(page.locator("main")).toContainText("to -24.0 LUFS");
  await page.getByRole("button", { name: "Bring the ticked voices there" }).click();
  await expect(page.getByRole("button", { name: "Take it back" })).toBeVisible();
  await expect(page.locator("main")).toContainText("0 would be turned, to -24.0 LUFS");
  await page.getByRole("button", { name: "Take it back" }).click();
  await expect(page.locator("main")).not.toContainText("0 would be turned");
});

test("music makes way for drowned words, as proposed, and follows them", async ({ page, app }) => {
  const s = await demo(page, app);
  const said = s.tracks.flatMap((t) => t.clips).find((c) => c.name === "Pell, take 2" && c.start > 64 * second)!,
    music = s.tracks.find((t) => t.name === "Music")!;
  await page.goto(`${home(page)}/voices`);
  await expect(page.locator("main")).toContainText("phrases are drowned");
  const low = async () => Number(/(\d+) of \d+ phrases/.exec((await page.locator("main").textContent())!)?.[1]),
    before = await low();
  await page.getByRole("button", { name: "Let ", exact: false }).click();
  await expect(page.getByRole("button", { name: "Take it back" })).toBeVisible();
  // some that nothing can make way for are left; what was done is not offered again
  await expect.poll(low).toBeLessThan(before);
  await expect(page.getByRole("button", { name: "Let ", exact: false })).toBeHidden();
  const ducked = (await stateOf(page)).tracks.find((t) => t.id === music.id)!;
  expect(ducked.ducks?.length).toBe(1);
  // the line of it is drawn, and goes where the words go
  await page.goto(`${home(page)}/`);
  await expect(page.locator(".list-head")).toContainText("rough");
  const feed = async () =>
    ((await (await page.request.get(`${home(page)}/seams?since=0`)).json()).ducks[music.id] ?? []) as {
      at: number;
      db: number;
    }[];
  const lowest = (line: { at: number; db: number }[]) => {
    const i = line.findIndex((p) => p.at > said.start + said.length / 2);
    return Math.max(line[i - 1]?.db ?? 0, line[i]?.db ?? 0);
  };
  expect(lowest(await feed())).toBeLessThan(-3);
  await page.mouse.click(await xOf(page, said, 0.5), (await rowOf(page, "Dialogue")) + 8);
  await expect(page.locator(".card h2")).toHaveText("Pell, take 2");
  await edits(page, () => page.keyboard.press("Delete"));
  expect(lowest(await feed())).toBeGreaterThan(-3);
  await edits(page, () => page.keyboard.press("Control+z"));
  expect(lowest(await feed())).toBeLessThan(-3);
  await page.locator(`[data-head="${music.id}name"]`).click();
  await expect(page.locator(".card")).toContainText("Under Dialogue");
  await edits(page, async () => {
    await page.getByLabel("Under Dialogue", { exact: false }).fill("3");
    await page.keyboard.press("Enter");
  });
  expect(Math.min(...(await feed()).map((p) => p.db))).toBeCloseTo(-3, 5);
  const now = await edits(page, () => page.getByRole("button", { name: "Make a line of it" }).click());
  const line = now.tracks.find((t) => t.id === music.id)!;
  expect(line.ducks ?? []).toEqual([]);
  expect(Math.min(...line.clips[0].level!.map((p) => p.db))).toBeCloseTo(-3, 5);
});

test("music makes way for the clip in hand alone, and no more when it is taken out", async ({ page, app }) => {
  const s = await demo(page, app),
    dialogue = s.tracks.find((t) => t.name === "Dialogue")!,
    music = s.tracks.find((t) => t.name === "Music")!,
    tune = music.clips[0],
    under = dialogue.clips.filter((c) => c.start > tune.start && c.start + c.length < tune.start + tune.length),
    [said, other] = [under[0], under.at(-1)!]; // the slopes of one do not reach the other
  const line = async () =>
      ((await (await page.request.get(`${home(page)}/seams?since=0`)).json()).ducks[music.id] ?? []) as {
        at: number;
      }[],
    over = async (c: { start: number; length: number }) =>
      (await line()).some((p) => p.at > c.start && p.at < c.start + c.length);
  expect(other.start - said.start - said.length).toBeGreaterThan(2 * second);
  await page.mouse.click(await xOf(page, said, 0.5), (await rowOf(page, "Dialogue")) + 8);
  await expect(page.locator(".card h2")).toHaveText(said.name!);
  await page.keyboard.press("Alt+n");
  const dialog = page.locator("dialog.ask");
  await expect(dialog).toContainText(`Make way for ${said.name}`);
  await expect(dialog.getByLabel("Track")).toHaveValue(music.id);
  await dialog.getByRole("textbox").fill("6");
  const ducked = await edits(page, () => dialog.getByRole("button", { name: "Make way" }).click());
  expect(ducked.tracks.find((t) => t.id === music.id)!.ducks).toMatchObject([{ clips: [said.id], db: 6 }]);
  await expect(page.locator(".card")).toContainText("Music makes way");
  expect([await over(said), await over(other)]).toEqual([true, false]);
  await edits(page, () => page.getByRole("button", { name: "Make no way for it" }).click());
  expect(await line()).toEqual([]);
  await page.keyboard.press("/");
  await page.getByRole("combobox", { name: "Find a command" }).fill("make no way");
  await page.keyboard.press("Enter");
  await expect(page.locator("body")).toContainText("No track makes way for the clips in hand");
});

test("level points are set by key, dragged, typed and taken off", async ({ page, app }) => {
  const s = await demo(page, app);
  const clip = s.tracks.find((t) => t.name === "Dialogue")!.clips.find((c) => c.name === "Oda, take 2")!;
  const y = await rowOf(page, "Dialogue"),
    points = async () =>
      (await stateOf(page)).tracks.flatMap((t) => t.clips).find((c) => c.id === clip.id)!.level ?? [];
  await page.mouse.click(await xOf(page, clip, 0.5), y + 8);
  await expect(page.locator(".card h2")).toHaveText("Oda, take 2");
  await page.mouse.dblclick(await xOf(page, clip, 0.3), y + 8);
  await edits(page, () => page.keyboard.press("Alt+p"));
  await page.mouse.dblclick(await xOf(page, clip, 0.7), y + 8);
  await edits(page, () => page.keyboard.press("Alt+p"));
  expect(await points()).toHaveLength(2);
  const middle = clip.start + Math.round(0.5 * clip.length),
    level = () => heard(page, middle, middle + second / 2),
    was = await level();
  // the stretch between both is raised as a whole: by the line itself
  await page.getByLabel("Point 1 level").fill("-6");
  await edits(page, () => page.keyboard.press("Enter"));
  await page.getByLabel("Point 2 level").fill("-6");
  await edits(page, () => page.keyboard.press("Enter"));
  expect((await level()) - was).toBeCloseTo(-6, 1);
  const box = (await page.locator("#timeline").boundingBox())!,
    top = y - 25,
    at = (db: number) => top + 2 + ((12 - db) / 48) * 35;
  await page.mouse.move(await xOf(page, clip, 0.5), at(-6));
  await page.mouse.down();
  await page.mouse.move(await xOf(page, clip, 0.5), at(-6) + 4);
  await page.mouse.move(await xOf(page, clip, 0.5), at(-6) + 8);
  await edits(page, () => page.mouse.up());
  const down = await points();
  expect(down[0].db).toBeLessThan(-12);
  expect(down[1].db).toBe(down[0].db);
  expect(box.width).toBeGreaterThan(0);
  // copied from one clip to another, and taken off whole
  await page.getByRole("button", { name: "Copy its line" }).click();
  const other = s.tracks.find((t) => t.name === "Dialogue")!.clips.find((c) => c.name === "wide" && c.start > 0)!;
  await page.mouse.click(await xOf(page, other, 0.5), y + 8);
  await expect(page.locator(".card h2")).toHaveText("wide");
  const pasted = await edits(page, () => page.getByRole("button", { name: "Paste a line" }).click());
  expect(pasted.tracks.flatMap((t) => t.clips).find((c) => c.id === other.id)!.level).toHaveLength(2);
  await edits(page, () => page.getByRole("button", { name: "Line off" }).click());
  expect((await stateOf(page)).tracks.flatMap((t) => t.clips).find((c) => c.id === other.id)!.level ?? []).toEqual([]);
});

test("the gain of clips in hand is dragged by their line, points in a range move together, and a fade bends", async ({
  page,
  app,
}) => {
  const s = await demo(page, app),
    clips = s.tracks.find((t) => t.name === "Dialogue")!.clips,
    clip = clips.find((c) => c.name === "Oda, take 2")!,
    other = clips.find((c) => c.name === "wide" && c.start > 0)!;
  const y = await rowOf(page, "Dialogue"),
    now = async (id: string) => (await stateOf(page)).tracks.flatMap((t) => t.clips).find((c) => c.id === id)!,
    top = y - 25,
    at = (db: number) => top + 2 + ((12 - db) / 48) * 35;
  const pull = async (x: number, from: number, to: number) => {
    await page.mouse.move(x, from);
    await page.mouse.down();
    await page.mouse.move(x, (from + to) / 2);
    await page.mouse.move(x, to);
    await edits(page, () => page.mouse.up());
  };
  // Two clips in hand, and the line of one of them down: both by as much.
  await page.mouse.click(await xOf(page, clip, 0.5), y + 8);
  await page.keyboard.down("Shift");
  await page.mouse.click(await xOf(page, other, 0.5), y + 8);
  await page.keyboard.up("Shift");
  await expect(page.locator(".card h2").first()).toHaveText("2 clips in hand");
  const was = [await now(clip.id), await now(other.id)].map((c) => c.gain_db ?? 0);
  await pull(await xOf(page, clip, 0.4), at(was[0]), at(was[0]) + 6);
  const gains = [await now(clip.id), await now(other.id)].map((c, i) => (c.gain_db ?? 0) - was[i]);
  expect(gains[0]).toBeLessThan(-5);
  expect(gains[1]).toBeCloseTo(gains[0], 5);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => (await now(clip.id)).gain_db ?? 0).toBe(was[0]);

  // A fade, bent by its line.
  await page.request.post(page.url() + "edits", {
    data: {
      revision: (await stateOf(page)).revision,
      edit: { edit: "fade", clip: clip.id, edge: "head", length: 4 * second, curve: { shape: "straight" } },
    },
  });
  await expect.poll(async () => (await now(clip.id)).fade_in?.length).toBe(4 * second);
  await page.waitForFunction(() => document.querySelector(".kept")?.textContent?.includes("edit"));
  const middle = await xOf(page, { ...clip, length: 4 * second }, 0.5);
  await page.keyboard.press("Escape");
  await pull(middle, top + 25, top + 12);
  expect((await now(clip.id)).fade_in?.curve).toMatchObject({ shape: "exponential" });
  expect((await now(clip.id)).fade_in!.curve!.bend).toBeGreaterThan(0.2);
});

test("the level is written by keys while it plays", async ({ page, app }) => {
  const s = await demo(page, app);
  const clip = s.tracks.find((t) => t.name === "Dialogue")!.clips.find((c) => c.name === "Oda, take 2")!,
    now = async () => (await stateOf(page)).tracks.flatMap((t) => t.clips).find((c) => c.id === clip.id)!;
  await page.mouse.click(await xOf(page, clip, 0.5), (await rowOf(page, "Dialogue")) + 8);
  await expect(page.locator(".card h2")).toHaveText("Oda, take 2");
  await page.keyboard.press("Control+Shift+l");
  await expect(page.locator(".toast")).toContainText("Nothing plays");
  await page.mouse.dblclick(await xOf(page, clip, 0.2), (await rowOf(page, "Dialogue")) + 8);
  await page.keyboard.press("Space");
  await expect(page.getByRole("button", { name: "Stop" }).first()).toBeVisible();
  await page.keyboard.press("Control+Shift+l");
  await expect(page.locator(".did")).toContainText("Writing the level of Oda, take 2");
  const before = await page.locator("#timecode").textContent();
  for (let i = 0; i < 4; i++) await page.keyboard.press("-");
  await expect(page.locator(".did")).toContainText("-4.0 dB");
  await expect(page.locator("#timecode")).not.toHaveText(before!);
  await edits(page, () => page.keyboard.press("Space")); // stopped: what was written is kept
  const { level, gain_db } = await now();
  expect(Math.min(...level!.map((p) => p.db))).toBe(-4);
  expect(level!.length).toBeLessThan(8);
  expect(level![0].db).toBe(0);
  expect(gain_db ?? 0).toBe(clip.gain_db ?? 0);
});

test("a distant take comes near a close one, and filters are bypassed by a key", async ({ page, app }) => {
  const s = await demo(page, app);
  const wide = s.tracks.find((t) => t.name === "Dialogue")!.clips.find((c) => c.name === "wide" && c.start > 0)!,
    y = await rowOf(page, "Dialogue"),
    level = () => heard(page, wide.start + second, wide.start + 4 * second),
    was = await level();
  await page.mouse.click(await xOf(page, wide, 0.5), y + 8);
  await expect(page.locator(".card")).toContainText("Its voice");
  await page.keyboard.press("Alt+a");
  const close = s.tracks.find((t) => t.name === "Dialogue")!.clips.find((c) => c.name === "Oda, take 2")!;
  await page.getByLabel("To the voice of").selectOption(close.id);
  await page.getByRole("button", { name: "Measure" }).click();
  const list = page.locator("dialog.list-dialog");
  await expect(list).toContainText("of colour apart");
  const near = await edits(page, () => list.getByRole("button", { name: "Do it" }).click());
  const like = near.tracks.flatMap((t) => t.clips).find((c) => c.id === wide.id)!.like!;
  expect(like.thirds_db).toHaveLength(19);
  expect((await level()) - was).toBeGreaterThan(4);
  await expect(page.locator(".card")).toContainText("As near as");
  await edits(page, () => page.getByRole("button", { name: "As recorded" }).click());
  expect(await level()).toBeCloseTo(was, 3);
  await page.getByRole("button", { name: "Filter it" }).click();
  await page.locator("dialog.ask").getByLabel("Filter").selectOption("high_cut");
  await page.locator("dialog.ask").getByRole("textbox").fill("300 Hz");
  await edits(page, () => page.locator("dialog.ask").getByRole("button", { name: "Filter", exact: true }).click());
  const cut = await level();
  expect(cut).toBeLessThan(was - 1);
  await edits(page, () => page.keyboard.press("Alt+x"));
  expect(await level()).toBeCloseTo(was, 3);
  await edits(page, () => page.keyboard.press("Alt+x"));
  expect(await level()).toBeCloseTo(cut, 3);
});

test("meters show each track while it plays, and the loudness is measured on demand", async ({ page, app }) => {
  await demo(page, app);
  await page.keyboard.press("Home");
  await page.keyboard.press(" ");
  const meter = page.getByRole("img", { name: "Level of Narrator" });
  await expect
    .poll(() => meter.evaluate((e) => Number.parseFloat((e as HTMLElement).style.getPropertyValue("--level"))))
    .toBeGreaterThan(20);
  await expect(meter).toHaveAttribute(
    "title",
    /Narrator: M -\d+\.\d S -\d+\.\d LUFS, peak -\d.*, at most -\d+\.\d dBTP/,
  );
  await expect(page.locator("#loudness")).toContainText(/M -\d+\.\d S -\d+\.\d\s+TP -\d/);
  await page.keyboard.press(" ");
  await page.keyboard.press("/");
  await page.getByRole("combobox", { name: "Find a command" }).fill("loudness of the range");
  await page.keyboard.press("Enter");
  await expect(page.locator("body")).toContainText(/The scene has -\d+\.\d LUFS, a range of/);
});
