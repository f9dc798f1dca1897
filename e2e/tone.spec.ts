// Taking out and filling: by keys, by hand and from the lists, with the sound of it.
import { createHash } from "node:crypto";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { Page } from "@playwright/test";
import { demo, drag, edits, expect, home, point, type SceneState, seams, sound, stateOf, test, track } from "./app.ts";

const F = 1920;
interface Lulled {
  lulls?: { id: string; from: number; to: number; fade_in: number; off?: boolean }[];
  fills?: { clip: string; lull?: string };
}
type Clip = SceneState["tracks"][0]["clips"][0] & Lulled;

const measured = (page: Page) => expect(page.locator(".list-head")).not.toContainText("being measured");
const level = (v: Float32Array) => 10 * Math.log10(v.reduce((a, x) => a + x * x, 0) / v.length + 1e-12);
const loudest = (v: Float32Array) =>
  20 *
  Math.log10(
    Math.max(
      1e-6,
      ...Array.from(
        { length: Math.floor(v.length / 960) },
        (_, i) => 10 ** (level(v.subarray(i * 960, (i + 1) * 960)) / 20),
      ),
    ),
  );
const digest = (v: Float32Array) =>
  createHash("sha256")
    .update(Buffer.from(v.buffer, v.byteOffset, v.byteLength))
    .digest("hex");

async function to(page: Page, frame: number): Promise<void> {
  for (const k of [
    "Home",
    ...Array(Math.floor(frame / 25)).fill("Shift+ArrowRight"),
    ...Array(frame % 25).fill("ArrowRight"),
  ])
    await page.keyboard.press(k);
}

async function toSeam(page: Page, words: string): Promise<void> {
  for (let n = 0; n < 45; n++) {
    if ((await page.locator(".card h2").textContent()) === words) return;
    const at = await page.locator("#seams").getAttribute("aria-activedescendant");
    await page.keyboard.press("ArrowDown");
    await expect(page.locator("#seams")).not.toHaveAttribute("aria-activedescendant", at ?? "none");
  }
  throw new Error(`no seam ${words}`);
}

const patches = (s: SceneState) => s.tracks.filter((t) => t.purpose === "tone").flatMap((t) => t.clips as Clip[]);

test(
  "by keys: a range on the dropped shovel becomes a lull, the lull is patched, its edge moves and the patch " +
    "with it",
  async ({ page, app }) => {
    let s = await demo(page, app);
    await measured(page);
    const clip = track(s, "dialogue").clips.find((c) => c.name === "Oda, take 2" && c.length > 400_000)!;
    const found = (await (await page.request.get(`${home(page)}/findings`)).json()) as {
      findings: { kind: string; span: { from: number; to: number } }[];
    };
    expect(found.findings.map((f) => f.kind)).toEqual(["bump"]);
    const shovel = found.findings[0].span,
      first = Math.floor(shovel.from / F) - 2,
      last = Math.ceil(shovel.to / F) + 2;
    const around: [number, number] = [(first - 3) * F, (last - first + 6) * F],
      before = await sound(page, ...around),
      room = level(before.subarray(0, 2 * 2 * F));
    expect(loudest(before)).toBeGreaterThan(room + 20);

    await to(page, first);
    await page.keyboard.press("r");
    await to(page, last);
    await page.keyboard.press("Shift+R");
    await page.keyboard.press("q"); // on the dialogue alone
    await expect(page.locator(".card tr", { hasText: "Tracks" })).toContainText("Dialogue");
    s = await edits(page, () => page.keyboard.press("l"));
    await expect(page.locator(".did")).toHaveText(`lull of ${last - first} frames in Oda, take 2, to silence`);
    const lull = (track(s, "dialogue").clips.find((c) => c.id === clip.id) as Clip).lulls![0];
    expect([lull.from - clip.in + clip.start, lull.to - clip.in + clip.start]).toEqual([first * F, last * F]);
    const silent = await sound(page, (first + 2) * F, (last - first - 4) * F);
    expect(level(silent)).toBeLessThan(-100);

    s = await edits(page, () => page.keyboard.press("g"));
    const patch = patches(s)[0];
    expect([patch.start, patch.length, patch.fills?.lull]).toEqual([first * F, (last - first) * F, lull.id]);
    const filled = await sound(page, ...around);
    expect(Math.abs(level(filled.subarray(2 * 3 * F, filled.length - 2 * 3 * F)) - room)).toBeLessThan(1);
    // outside the lull to the bit
    expect(digest(filled.subarray(0, 2 * 3 * F))).toBe(digest(before.subarray(0, 2 * 3 * F)));

    // On the bench it is a seam like any other: clean, heard without and with it.
    await page.keyboard.press("Escape");
    await page.keyboard.press("Home");
    await toSeam(page, "lull in Oda, take 2, patched");
    await expect(page.locator(".card .why")).toContainText("Clean");
    await page.keyboard.press("1");
    await expect(page.locator(".hearing")).toContainText("You hear it without the lull");
    await page.keyboard.press("2");
    await expect(page.locator(".hearing")).toContainText("You hear it lulled");
    await page.keyboard.press("4");
    await expect(page.locator(".hearing")).toContainText("the patch alone");
    await page.keyboard.press("Space");
    const off = await sound(page, ...around, { edit: "set_lull", clip: clip.id, lull: lull.id, off: true });
    expect(digest(off)).toBe(digest(before)); // switched off, the patch is silent with it

    // Its end, then its start, is moved; the patch follows.
    s = await edits(page, () => page.keyboard.press("Shift+."));
    expect([patches(s)[0].start, patches(s)[0].length]).toEqual([first * F, (last + 5 - first) * F]);
    await page.keyboard.press("e");
    s = await edits(page, () => page.keyboard.press(","));
    expect([patches(s)[0].start, patches(s)[0].length]).toEqual([(first - 1) * F, (last + 6 - first) * F]);
    s = await edits(page, () => page.keyboard.press("l")); // off, to compare
    expect((track(s, "dialogue").clips.find((c) => c.id === clip.id) as Clip).lulls![0].off).toBe(true);
    for (let n = 0; n < 5; n++) s = await edits(page, () => page.keyboard.press("Control+z"));
    expect(patches(s)).toEqual([]);
    expect(digest(await sound(page, ...around))).toBe(digest(before));
  },
);

test("a lull's edge and its fade are drawn by hand, and a click takes it in hand", async ({ page, app }) => {
  const s = await demo(page, app),
    clip = track(s, "dialogue").clips.find((c) => c.name === "Oda, take 2" && c.length > 400_000)!;
  const from = clip.start + 80 * F,
    to = from + 90 * F;
  await page.request.post(`${home(page)}/edits`, {
    data: { revision: s.revision, edit: { edit: "lull", clip: clip.id, from, to, fade_in: 20 * F, fade_out: 20 * F } },
  });
  await expect(page.locator(".list-head")).toContainText("33 seams");
  const lulls = async () =>
    (track(await stateOf(page), "dialogue").clips.find((c) => c.id === clip.id) as Clip).lulls![0] as {
      from: number;
      to: number;
    } & { fade_in: number };
  const was = await lulls();
  const words = await drag(page, await point(page, s, "dialogue", from, 0.05), -12);
  expect(words).toMatch(/^lull \d+ frames longer/);
  await expect(page.locator(".did")).toContainText("its start");
  const now = await lulls();
  expect([now.from < was.from, now.to === was.to]).toEqual([true, true]);
  await expect(page.locator(".card h2")).toHaveText("lull in Oda, take 2");
  const shoulder = await point(page, s, "dialogue", now.from - clip.in + clip.start + now.fade_in, 0.66);
  await drag(page, shoulder, 6);
  await expect(page.locator(".did")).toContainText("fades of");
  expect((await lulls()).fade_in).toBeGreaterThan(now.fade_in);
  await page.getByLabel("Turned down").fill("12 dB");
  await page.getByLabel("Turned down").press("Enter");
  await expect(page.locator(".did")).toContainText("12.0 dB down");
});

test("the list of strays: heard, lulled, passed", async ({ page, app }) => {
  await demo(page, app);
  await measured(page);
  await page.keyboard.press("i");
  const dialog = page.getByRole("dialog", { name: "Strays" }),
    rows = dialog.getByRole("option");
  await expect(rows).toHaveCount(1);
  await expect(rows).toContainText("bump in Oda, take 2");
  await expect(dialog.locator(".hum")).toContainText("hum at 50.0 Hz");
  await page.keyboard.press("1");
  await expect(page.locator("#play")).toContainText("Stop");
  await page.keyboard.press("2");
  const s = await edits(page, () => page.keyboard.press("Enter"));
  await expect(page.locator(".did")).toContainText("bump lulled for");
  expect(patches(s).length).toBe(1);
  await expect(page.getByRole("alert")).toContainText("every finding is taken or passed");
  await page.keyboard.press("Escape");
  await page.keyboard.press("i");
  await expect(dialog).toContainText("Nothing was found in the pauses");
  await page.keyboard.press("Escape");
});

test("dead silence is filled by one key; which tone is chosen from a list, heard in place", async ({ page, app }) => {
  await demo(page, app);
  await measured(page);
  await seams(page).filter({ hasText: "dead silence" }).first().click();
  await expect(page.locator("#timecode")).toHaveText("01:00:18:14");
  let s = await edits(page, () => page.keyboard.press("g"));
  await expect(page.locator(".card .why")).toContainText("Clean");
  const first = patches(s)[0];
  const hole = await sound(page, first.start + 4 * F, first.length - 8 * F);
  expect(level(hole)).toBeGreaterThan(-62);
  expect(level(hole)).toBeLessThan(-52);

  await page.keyboard.press("Shift+G");
  const dialog = page.getByRole("dialog", { name: "Tone for this hole" }),
    rows = dialog.getByRole("option");
  await expect(rows.first()).toContainText("in the same recording");
  await expect(rows.first()).toContainText("without voice, breath or bump");
  await expect(dialog).toContainText("in the library");
  await page.keyboard.press("ArrowDown");
  await expect(page.locator("#play")).toContainText("Stop");
  s = await edits(page, () => page.keyboard.press("Enter"));
  await expect(page.locator(".did")).toContainText("in place of the one before");
  expect(patches(s).length).toBe(1);
  expect(patches(s)[0].source).not.toBe(first.source);
  // It was taken while it sounded: that is over, and nothing fails for it.
  await expect(page.locator("#play")).toContainText("Play");
  await expect(page.locator(".toast")).toBeHidden();

  // Work is said at once, and Escape stops it.
  await page.route("**/fill?*", async (route) => {
    await page.keyboard.press("Escape"); // while the answer is on its way
    await route.continue().catch(() => {});
  });
  const revision = (await stateOf(page)).revision;
  await page.keyboard.press("g");
  await expect(page.locator(".did")).toHaveText("Stopped; nothing was done");
  expect((await stateOf(page)).revision).toBe(revision);
  await page.unroute("**/fill?*");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Home");
  await page.keyboard.press("Escape");
  await page.keyboard.press("g");
  await expect(page.getByRole("alert")).toContainText("Nothing is chosen to fill");
});

test("a bed hides the steps and says what it costs; the words are kept", async ({ page, app }) => {
  const s0 = await demo(page, app),
    rain = (s0 as SceneState & { markers: { name: string; at: number }[] }).markers.find(
      (m) => m.name === "rain begins",
    )!.at;
  const step = async () => {
    const list = (await (await page.request.get(`${home(page)}/seams`)).json()) as {
      pending: number;
      set: { kind: string; track_name: string; at: number; measures: { background_step_db: number } }[];
    };
    return list.pending
      ? undefined
      : list.set.find((x) => x.kind === "cut" && x.track_name === "Dialogue" && x.at >= rain)!.measures
          .background_step_db;
  };
  await measured(page);
  expect(Math.abs((await step())!)).toBeGreaterThan(5);
  await page.keyboard.press("j");
  const dialog = page.locator(".list-dialog");
  await expect(dialog).toContainText("Steps between takes shrink from");
  await expect(dialog).toContainText("noise up by");
  const said = (await dialog.textContent())!;
  let s = await edits(page, () => dialog.getByRole("button", { name: "Do it" }).click());
  expect(patches(s).length).toBe(1);
  // As far as it says.
  const left = Number(/shrink from [\d.]+ to ([\d.]+) dB/.exec(said)![1]);
  await expect.poll(async () => Math.abs((await step()) ?? 99)).toBeLessThan(left + 0.5);
  s = await edits(page, () => page.keyboard.press("Control+z"));

  await page.keyboard.press("Shift+J");
  await expect(dialog).toContainText("its words kept");
  const clips = track(s, "dialogue").clips.length;
  s = await edits(page, () => dialog.getByRole("button", { name: /^Do these/ }).click());
  await expect(page.locator(".did")).toContainText("words kept of");
  expect(track(s, "dialogue").clips.length).toBeGreaterThan(clips);
});

test("the tone library: searched, heard, laid, filled from recordings and files", async ({ page, app }) => {
  await demo(page, app);
  const scene = home(page);
  await page.goto(`${scene}/tone`);
  const library = page.getByRole("region", { name: "Tone library" }),
    rows = library.locator("ul.tones li");
  await expect(rows).toHaveCount(6);
  for (const name of ["Kitchen", "Workshop", "Rain on a roof", "Hall", "Night outdoors", "Car"])
    await expect(library).toContainText(name);
  const drawn = await page.evaluate(() =>
    [...document.querySelectorAll<HTMLCanvasElement>("canvas[data-thirds]")].map((c) =>
      c
        .getContext("2d")!
        .getImageData(0, 0, c.width, c.height)
        .data.some((v) => v > 0),
    ),
  );
  expect(drawn.length).toBeGreaterThan(8);
  expect(drawn.every(Boolean)).toBe(true);
  await page.getByLabel("Search the tones").fill("fridge tiles");
  await expect(rows).toHaveCount(1);
  const id = ((await (await page.request.get(`${app.base}/tones`)).json()) as { id: string; name: string }[]).find(
    (t) => t.name === "Kitchen",
  )!.id;
  const wav = await (await page.request.get(`${app.base}/tones/${id}/sound.wav?seconds=5`)).body();
  expect([wav.toString("latin1", 0, 4), wav.length > 5 * 48000 * 6]).toEqual(["RIFF", true]);
  const under = await (
    await page.request.get(`${app.base}/tones/${id}/sound.wav?scene=${scene.split("/").pop()}`)
  ).body();
  expect(under.length).toBeGreaterThan(7 * 48000 * 6);
  await rows.getByRole("button", { name: "Lay as bed" }).click();
  await expect(page.getByRole("alert")).toContainText("Laid as a bed");
  expect(patches((await (await page.request.get(`${scene}/state`)).json()) as SceneState)[0].name).toBe(
    "Bed of Kitchen",
  );

  await page.getByLabel("Search the tones").fill("");
  await page
    .getByRole("region", { name: "Found in this scene's recordings" })
    .getByRole("button", { name: "Keep in the library" })
    .first()
    .click();
  await expect(rows).toHaveCount(7);
  await rows
    .first()
    .getByRole("button", { name: /^Name and place/ })
    .click();
  await page.getByRole("textbox", { name: "Place" }).fill("beside the kiln");
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await expect(rows.first()).toContainText("beside the kiln");
  await rows
    .first()
    .getByRole("button", { name: /^Forget/ })
    .click();
  await expect(rows).toHaveCount(6);

  const dir = mkdtempSync(join(tmpdir(), "blendseam-tone-")),
    file = join(dir, "attic at noon.wav");
  writeFileSync(file, await (await page.request.get(`${app.base}/tones/${id}/sound.wav?seconds=3`)).body());
  await page.locator("input[type=file]").setInputFiles(file);
  await expect(rows).toHaveCount(7);
  await expect(rows.first()).toContainText("attic at noon");
  writeFileSync(file, "this is no sound");
  await page.locator("input[type=file]").setInputFiles(file);
  await expect(page.getByRole("alert")).toContainText("attic at noon.wav");
});

test("a list that was closed while it was made does not come back", async ({ page, app }) => {
  await demo(page, app);
  let answer = () => {};
  const held = new Promise<void>((done) => {
    answer = done;
  });
  let answered = () => {};
  const came = new Promise<void>((done) => {
    answered = done;
  });
  await page.route("**/findings*", async (route) => {
    const response = await route.fetch();
    await held;
    await route.fulfill({ response });
    answered();
  });
  await page.keyboard.press("i");
  await expect(page.getByRole("dialog", { name: "Strays" })).toContainText("Listening through the pauses");
  await page.keyboard.press("Escape");
  answer();
  await came;
  await page.keyboard.press("?"); // which waits its turn behind what came
  await expect(page.getByRole("dialog", { name: "Keys" })).toBeVisible();
  await expect(page.getByRole("dialog")).toHaveCount(1);
});
