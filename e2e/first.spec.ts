// The first minutes with a scene of one's own: the tracks it begins with, and where what is laid out goes.
import { existsSync } from "node:fs";
import { join } from "node:path";
import { bringAndLayOut, choose, clipOf, edits, expect, newScene, seams, stateOf, test, track } from "./app.ts";

const VOICE = "/usr/share/sounds/alsa/Front_Left.wav";

test("a new scene has its tracks, and each recording goes to the one for what it is", async ({ page, app }) => {
  await newScene(page, app, "First");
  expect((await stateOf(page)).tracks.map((t) => t.name)).toEqual(["Picture", "Dialogue", "Tone", "Effects", "Music"]);
  await page.getByRole("navigation").getByRole("link", { name: "Sources" }).click();
  await choose(page, [VOICE]);
  await expect(page.locator(".arrivals li")).toContainText("here");
  await expect(page.locator("table.sources tbody tr")).toHaveCount(1); // those of other scenes are behind a switch
  await page.getByLabel("Recordings of other scenes, too").check();
  for (const name of ["Front_Left", "evening-tune", "kiln-roar", "oda-take-2"]) {
    const row = page.locator("table.sources tr", { hasText: name });
    await row.getByRole("button", { name: "Lay out at the end" }).click();
    await expect(row).toContainText("1 clip");
  }
  const s = await stateOf(page);
  const on = (purpose: string) => track(s, purpose).clips.map((c) => c.name);
  expect(on("dialogue")).toEqual([expect.stringContaining("Front_Left"), expect.stringContaining("oda-take-2")]);
  expect(on("music")).toEqual([expect.stringContaining("evening-tune")]);
  expect(on("effects")).toEqual([expect.stringContaining("kiln-roar")]);
  expect(on("picture")).toEqual([expect.stringContaining("oda-take-2")]);

  // By hand, another track.
  const voice = page.locator("table.sources tr", { hasText: "Front_Left" });
  await voice.getByRole("combobox").selectOption("as effects");
  await voice.getByRole("button", { name: "Lay out at the end" }).click();
  await expect(voice).toContainText("2 clips");
  expect(track(await stateOf(page), "effects").clips.at(-1)!.name).toContain("Front_Left");
});

test("in a scene without tracks a stretch is taken out to one that is made for it", async ({ page, app }) => {
  await page.goto(app.base);
  await page.getByRole("button", { name: "New scene" }).click();
  await page.getByLabel("Name").fill("Bare");
  await page.getByLabel("none").check();
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page).toHaveURL(/scenes\/[0-9a-f-]+\/$/);
  expect((await stateOf(page)).tracks).toEqual([]);
  await page.getByRole("navigation").getByRole("link", { name: "Sources" }).click();
  await choose(page, [VOICE]);
  await expect(page.locator(".arrivals li")).toContainText("here");
  await page
    .locator("table.sources tr", { hasText: "Front_Left" })
    .getByRole("link", { name: "Listen through" })
    .click();
  await expect(page.getByRole("combobox", { name: "Track" })).toHaveText("a new track, Dialogue");
  await page.getByLabel("In", { exact: true }).fill("0:00:05");
  await page.getByLabel("In", { exact: true }).press("Enter");
  await page.getByLabel("Out", { exact: true }).fill("0:01:00");
  await page.getByLabel("Out", { exact: true }).press("Enter");
  await page.getByLabel("Name", { exact: true }).fill("left");
  await page.getByRole("button", { name: "Keep it" }).click();
  await page.getByRole("button", { name: "At the end", exact: true }).click();
  await expect(page.locator(".uses li")).toHaveCount(1);
  const s = await stateOf(page);
  expect(s.tracks.map((t) => [t.name, t.clips.length])).toEqual([["Dialogue", 1]]);

  // From then on the page lays on the track that is there.
  await expect(page.getByRole("combobox", { name: "Track" })).toHaveText("Dialogue");
  await page.getByRole("button", { name: "Insert at the playhead" }).click();
  await expect(page.locator(".uses li")).toHaveCount(2);
  expect((await stateOf(page)).tracks).toHaveLength(1);
});

test("clips and recordings are renamed, scenes duplicated, and what nothing uses is removed", async ({ page, app }) => {
  await newScene(page, app, "Trials");
  await bringAndLayOut(page, [VOICE]);
  await seams(page).first().waitFor();
  await page.keyboard.press("ArrowDown");
  const clip = track(await stateOf(page), "dialogue").clips[0];
  await page.goto(`${page.url()}?clip=${clip.id}`);
  const name = page.getByRole("textbox", { name: "Name" });
  await name.fill("left, first");
  await edits(page, () => name.press("Enter"));
  expect(clipOf(await stateOf(page), clip.id).name).toBe("left, first");

  await page.getByRole("navigation").getByRole("link", { name: "Sources" }).click();
  const row = page.locator("table.sources tbody tr", { hasText: /./ }).first();
  page.once("dialog", (d) => d.accept("the left one"));
  await row.getByRole("button", { name: /^Rename/ }).click();
  await expect(row).toContainText("the left one");
  // What is used stays, and says where it is used.
  page.once("dialog", (d) => d.accept());
  await row.getByRole("button", { name: /^Remove/ }).click();
  await expect(page.getByRole("alert")).toContainText(/is used by .*1 clip of Trials/);
  await expect(row).toContainText("the left one");

  await page.goto(app.base);
  const scene = page.locator(".scene-row", { hasText: "Trials" });
  await scene.getByRole("button", { name: "Duplicate Trials" }).click();
  await expect(page.locator(".scene-row", { hasText: "Copy of Trials" })).toBeVisible();

  // Nothing uses a recording that was only brought in: it goes, its file with it.
  await newScene(page, app, "Unused");
  await page.getByRole("navigation").getByRole("link", { name: "Sources" }).click();
  await choose(page, ["/usr/share/sounds/alsa/Side_Right.wav"]);
  const unused = page.locator("table.sources tr", { hasText: "Side_Right" });
  await expect(page.locator(".arrivals li")).toContainText("here");
  const id = (await unused.getByRole("link", { name: "Listen through" }).getAttribute("href"))!.split("/").at(-2)!;
  expect(existsSync(join(app.dir, "media", id))).toBe(true);
  page.once("dialog", (d) => d.dismiss());
  await unused.getByRole("button", { name: /^Remove/ }).click();
  await expect(unused).toBeVisible();
  page.once("dialog", (d) => d.accept());
  await unused.getByRole("button", { name: /^Remove/ }).click();
  await expect(unused).toHaveCount(0);
  expect(existsSync(join(app.dir, "media", id))).toBe(false);
});
