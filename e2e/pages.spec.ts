// The pages beside the scene: listening through a source, the keys, the past.
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { clipOf, demo, edits, expect, kept, point, seams, stateOf, take, test, track } from "./app.ts";
import { samples } from "./ffmpeg.ts";

const F = 1920;

test("a recording is listened through, its stretches marked, named, taken out and written", async ({
  page,
  app,
}, info) => {
  let s = await demo(page, app);
  const scene = page.url();
  await page.keyboard.press("Shift+ArrowRight");
  await page.getByRole("navigation").getByRole("link", { name: "Sources" }).click();
  await page
    .getByRole("row", { name: /Pell, take 2/ })
    .getByRole("link", { name: "Listen through" })
    .click();
  await expect(page.locator("h1")).toHaveText("Pell, take 2");
  const time = page.locator("#source-time");
  await expect(time).toHaveText("00:00:00:00");

  // Its source timecode is typed; cut lists count by it.
  const start = page.getByLabel("Source timecode");
  await start.fill("10:00:00:00");
  await start.press("Enter");
  await expect(page.locator(".source-side [aria-live]")).toContainText("begins at source timecode 10:00:00:00");
  const list = await (await page.request.get(new URL("../../scene.edl", page.url()).href)).text();
  expect(list).toMatch(/10:00:\d\d:\d\d 10:00:\d\d:\d\d.*\n.*\* FROM CLIP NAME: Pell, take 2/);
  await start.fill("now");
  await start.press("Enter");
  await expect(page.getByRole("alert").filter({ hasText: "is no timecode" })).toBeVisible();
  await start.press("Escape");

  // Steps, and a mark in and out by keys.
  for (const k of ["Shift+ArrowRight", "Shift+ArrowRight", "ArrowRight", "r"]) await page.keyboard.press(k);
  await expect(time).toHaveText("00:00:02:01");
  for (const k of ["Shift+ArrowRight", "Shift+ArrowRight", "Shift+R"]) await page.keyboard.press(k);
  await expect(page.getByLabel("In", { exact: true })).toHaveValue("00:00:02:01");
  await expect(page.getByLabel("Out", { exact: true })).toHaveValue("00:00:04:01");
  await page.keyboard.press("n");
  await page.keyboard.type("the rain has begun");
  await page.keyboard.press("Enter");
  const rows = page.locator(".stretches tr");
  await expect(rows).toHaveCount(1);
  // A second by dragging over the waveform.
  const box = (await page.locator("#source-wave").boundingBox())!;
  await page.mouse.move(box.x + 300, box.y + 100);
  await page.mouse.down();
  await page.mouse.move(box.x + 360, box.y + 100, { steps: 4 });
  await page.mouse.up();
  await page.getByLabel("Name", { exact: true }).fill("good night");
  await page.getByRole("button", { name: "Keep it" }).click();
  await expect(rows).toHaveCount(2);

  // It plays, faster too, with its picture.
  const frame = () => page.locator("#source-picture").getAttribute("data-frame").then(Number);
  await page.locator("#source-wave").focus();
  await page.keyboard.press("Home");
  await page.keyboard.press("Shift+ArrowUp");
  await page.keyboard.press(" ");
  await expect.poll(frame).toBeGreaterThan(15);
  await page.keyboard.press(" ");

  // All are taken out, end to end, at the end of the track; picture comes along, and each is where it was marked.
  s = await stateOf(page);
  const stretches = (
    s as unknown as {
      sources: Record<string, { name: string; stretches?: { name: string; from: number; to: number }[] }>;
    }
  ).sources;
  const marks = Object.values(stretches).find((x) => x.name === "Pell, take 2")!.stretches!;
  expect(marks.map((m) => m.name)).toEqual(["the rain has begun", "good night"]);
  const n = track(s, "dialogue").clips.length;
  await page.getByRole("button", { name: "All at the end" }).click();
  await expect(page.locator("p[aria-live]")).toHaveText(
    /Done: 2 stretches of Pell, take 2 taken out to track Dialogue/,
  );
  s = await stateOf(page);
  const [a, b] = track(s, "dialogue").clips.slice(n);
  expect([a.name, b.name]).toEqual(["the rain has begun", "good night"]);
  expect([a.in, a.length, b.start]).toEqual([51 * F, 50 * F, a.start + a.length]);
  expect(track(s, "picture").clips.at(-2)).toMatchObject({ start: a.start / F, in: 51, link: a.link });

  // One goes in at the scene's playhead, which is at one second, and pushes what follows.
  const wide = track(s, "dialogue").clips[0];
  await rows.first().getByRole("button", { name: "At playhead" }).click();
  // the wide shot is cut in two
  await expect.poll(async () => track(await stateOf(page), "dialogue").clips.length).toBe(n + 4);
  s = await stateOf(page);
  expect(track(s, "dialogue").clips[1]).toMatchObject({ name: "the rain has begun", start: 25 * F, length: 50 * F });
  expect(track(s, "dialogue").clips[2]).toMatchObject({ name: wide.name, start: 75 * F });

  // As a file of its own: the samples of the recording.
  // All of them as files in one go: what kind, and one button.
  const all = page.waitForEvent("download");
  await page.getByLabel("Kind of file").selectOption("mp3");
  await page.getByRole("button", { name: "Write all as files" }).click();
  const zip = (await (await all).path()) as string;
  const inside = readFileSync(zip).toString("latin1");
  for (const m of marks) expect(inside).toContain(`Pell, take 2 ${m.name}.mp3`);
  const download = page.waitForEvent("download");
  await rows
    .first()
    .getByRole("link", { name: /as a file/ })
    .click();
  const file = join(info.outputDir, "stretch.wav");
  await (await download).saveAs(file);
  const x = samples(file, "-ac", "1"),
    cut = `atrim=start_sample=${51 * F}:end_sample=${101 * F}`,
    y = samples("demo/recordings/pell-take-2.mkv", "-af", cut, "-ac", "1");
  expect(x.length).toBe(y.length);
  expect(Math.max(...x.map((v, i) => Math.abs(v - y[i])))).toBeLessThan(1e-6);

  // The clips of it are listed; one leads to the scene, and from there back to its moment.
  await expect(page.locator(".uses li")).toHaveCount(6);
  await page.locator(".uses li").first().getByRole("link").click();
  await expect(page).toHaveURL(new RegExp(`${new URL(scene).pathname}\\?clip=`));
  await expect(page.locator(".card p").first()).toHaveText("Clip · Dialogue");
  await page.keyboard.press("f");
  await expect(page.locator("h1")).toHaveText("Pell, take 2");
  await expect(page.locator(".uses li.chosen")).toHaveCount(1);
  await expect(time).toHaveText("00:00:02:01");
});

test("a range is filled exactly, and what is marked is put in by keys", async ({ page, app }) => {
  let s = await demo(page, app);
  const scene = page.url(),
    box = (await page.locator("#timeline").boundingBox())!;
  await page.keyboard.press("Shift+ArrowRight");
  await page.mouse.move(box.x + 60, box.y + 6);
  await page.mouse.down();
  await page.mouse.move(box.x + 90, box.y + 6, { steps: 4 });
  await page.mouse.up();
  await page.getByRole("button", { name: "Track Narrator" }).click();
  const at = async (id: string) =>
    Number(
      await page
        .locator(`.card #${id}`)
        .inputValue()
        .then((v) => v.split(":").reduce((n, x, i) => n * [1, 60, 60, 25][i] + Number(x), 0)),
    ) - 90000;
  const from = await at("from"),
    to = await at("to");
  await page.goto(`${scene}sources`);
  await page.getByRole("row", { name: /^rain/ }).getByRole("link", { name: "Listen through" }).click();
  await page.getByLabel("In", { exact: true }).fill("00:00:03:00");
  await page.keyboard.press("Enter");
  await page.getByLabel("Out", { exact: true }).fill("00:00:09:00");
  await page.keyboard.press("Enter");
  await page.getByLabel("Track", { exact: true }).selectOption({ label: "Narrator" });
  await page.getByLabel("Name", { exact: true }).fill("tone");
  await page.getByRole("button", { name: "Fill up to the out point" }).click();
  await expect(page.locator("p[aria-live]")).toHaveText(/Done: .* filled with tone/);
  s = await stateOf(page);
  const narrator = () => s.tracks.find((t) => t.name === "Narrator")!.clips;
  const tone = narrator().find((c) => c.name === "tone")!;
  expect([tone.start, tone.length, tone.in]).toEqual([from * F, (to - from) * F, (225 - (to - from)) * F]);

  // Back in the scene, what is marked is laid over and inserted at the playhead by keys.
  await page.goto(scene);
  await page.keyboard.press("Home");
  await page.keyboard.press("Shift+ArrowRight");
  s = await edits(page, () => page.keyboard.press("Alt+o"));
  await expect(page.locator(".did")).toContainText("tone laid over what was at 01:00:01:00");
  expect(narrator().find((c) => c.start === 25 * F)).toMatchObject({ name: "tone", length: 150 * F, in: 75 * F });
  s = await edits(page, () => page.keyboard.press("Control+z"));
  s = await edits(page, () => page.keyboard.press("Alt+i"));
  await expect(page.locator(".did")).toContainText("tone inserted at 01:00:01:00, what follows pushed");
});

test("keys are found, changed, handed on and set back, and the scene takes them at once", async ({
  page,
  app,
  context,
}, info) => {
  const s = await demo(page, app),
    scene = page.url();
  const keys = await context.newPage();
  await keys.goto(`${app.base}/keys`);
  const row = (id: string) => keys.locator(`[data-command-row=${id}]`);
  await keys.getByRole("searchbox").fill("split cut two");
  await expect(keys.locator("[data-command-row]")).toHaveCount(1);
  await row("divide").getByRole("button", { name: "Add a key to" }).click();
  await keys.keyboard.press("b");
  await expect(row("divide").getByRole("alert")).toContainText('B is the key of "Blend the cut".');
  await row("divide").getByRole("button", { name: "Leave it" }).click();
  await row("divide").getByRole("button", { name: "Add a key to" }).click();
  await keys.keyboard.press("b");
  await row("divide").getByRole("button", { name: "Give it to this one" }).click();
  await expect(row("divide").locator(".key")).toHaveText(["D", "B"]);
  await keys.getByRole("searchbox").fill("blend the cut");
  await expect(row("blend").locator(".key")).toHaveCount(0);
  await row("blend").getByRole("button", { name: "as it began" }).click();
  await expect(keys.getByRole("alert").filter({ hasText: "is now the key of" })).toBeVisible();
  await row("blend").getByRole("button", { name: "Add a key to" }).click();
  await keys.keyboard.press("Control+Alt+b");
  await expect(row("blend").locator(".key")).toHaveText(["Ctrl+Alt+B"]);

  // The scene's page, open all the while, has them; so has its sheet.
  await page.bringToFront();
  await seams(page).filter({ hasText: "Oda, take 1 → Pell, take 1" }).first().click();
  let now = await edits(page, () => page.keyboard.press("Control+Alt+b"));
  expect(track(now, "dialogue").blends).toHaveLength(1);
  const clip = track(now, "dialogue").clips[1],
    p = await point(page, now, "dialogue", clip.start + clip.length / 2, 0.6);
  await page.mouse.dblclick(p.x, p.y);
  now = await edits(page, () => page.keyboard.press("b"));
  expect(track(now, "dialogue").clips.length).toBe(track(s, "dialogue").clips.length + 1);
  await page.keyboard.press("?");
  await expect(
    page
      .getByRole("dialog", { name: "Keys" })
      .locator("div", { hasText: /^Blend the cut/ })
      .last(),
  ).toContainText("Ctrl+Alt+B");
  await page.keyboard.press("Escape");

  // As a file, and back from it after the start set was set; a file that is none changes nothing.
  await keys.bringToFront();
  const download = keys.waitForEvent("download");
  await keys.getByRole("link", { name: "Keep as a file" }).click();
  const file = join(info.outputDir, "keys.json");
  await (await download).saveAs(file);
  expect(JSON.parse(readFileSync(file, "utf8")).commands.divide).toEqual(["d", "b"]);
  await keys.getByRole("searchbox").fill("");
  await keys.getByRole("button", { name: "Back to the start set" }).click();
  await expect(row("divide").locator(".key")).toHaveText(["D"]);
  await expect(row("blend").locator(".key")).toHaveText(["B"]);
  const choose = keys.getByLabel("File of keys");
  await choose.setInputFiles({ name: "odd.json", mimeType: "application/json", buffer: Buffer.from("not json") });
  await expect(keys.getByRole("alert").filter({ hasText: "odd.json is not a file of keys" })).toBeVisible();
  await choose.setInputFiles(file);
  await expect(row("divide").locator(".key")).toHaveText(["D", "B"]);
  await keys.getByRole("button", { name: "Find by pressing a key" }).click();
  await keys.keyboard.press("Control+Alt+b");
  await expect(keys.locator("[data-command-row]")).toHaveCount(1);
  await keys.getByRole("button", { name: "Back to the start set" }).click();
  await expect(keys.getByText("keys as they begin")).toBeVisible();
  expect(scene).toContain("/scenes/");
});

test("the past lists everything in words, goes to any of it; versions are kept, compared and brought back", async ({
  page,
  app,
}) => {
  let s = await demo(page, app);
  const begun = s,
    clip = track(s, "dialogue").clips[1];
  await take(page, s, "dialogue", clip);
  s = await edits(page, () => page.keyboard.press("-"));
  const first = s;
  await page.keyboard.press("Control+s");
  await expect(page.getByLabel("Name of this version")).toBeFocused();
  await page.keyboard.type("before lunch");
  await page.keyboard.press("Enter");
  await expect(page.locator(".versions li")).toHaveText(/before lunch/);
  await page.keyboard.press("Escape");
  s = await edits(page, () => page.keyboard.press("Shift+Delete"));
  s = await edits(page, () => page.keyboard.press("Control+z"));
  await take(page, s, "dialogue", clip);
  s = await edits(page, () => page.keyboard.press("Delete"));

  await page.keyboard.press("u");
  const past = page.locator(".past-list li");
  await expect(past).toHaveCount(4);
  await expect(past.locator("button > span")).toHaveText([
    "Oda, take 1 removed, a gap left",
    /^Oda, take 1 removed, closed up/,
    "Oda, take 1 at -1.0 dB",
    "the scene as it began",
  ]);
  await expect(past.nth(0)).toContainText("the scene is here");
  await expect(past.nth(1)).toContainText("set aside by a later edit");
  await expect(past.nth(2)).toContainText("version before lunch");
  await expect(past.nth(3).locator("time")).toHaveText(/\d\d:\d\d:\d\d/);

  // What differs, in words; then back to the version, to the very beginning, and to what was set aside.
  await page.getByRole("combobox", { name: "From" }).selectOption("before lunch");
  await page.getByRole("button", { name: "Compare" }).click();
  await expect(page.locator(".differences li")).toHaveText([
    /^Oda, take 1 at .* on Picture is gone$/,
    /^Oda, take 1 at .* on Dialogue is gone$/,
  ]);
  const go = async (act: () => Promise<unknown>, tracks: unknown) => {
    s = await edits(page, act);
    expect(s.tracks).toEqual(tracks);
  };
  await go(() => page.getByRole("button", { name: "Bring back" }).click(), first.tracks);
  await go(() => past.nth(3).locator("button").click(), begun.tracks);
  s = await edits(page, () => past.nth(1).locator("button").click());
  expect(track(s, "dialogue").clips.some((c) => c.id === clip.id)).toBe(false);
  await page.keyboard.press("Escape");
  await go(() => page.keyboard.press("Control+z"), first.tracks);

  // It is all there after a restart.
  const url = new URL(page.url()).pathname;
  await page.goto("about:blank");
  await app.stop("SIGKILL");
  await app.start();
  await page.goto(app.base + url);
  await kept(page, s.revision);
  expect(clipOf(await stateOf(page), clip.id).gain_db).toBe(-1);
  await page.keyboard.press("u");
  await expect(page.locator(".past-list li")).toHaveCount(4);
  await expect(page.locator(".versions li")).toHaveCount(1);
});
