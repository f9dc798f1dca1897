// A scene is handed over as sound, stems, lists and a package, and comes back to a picture that was cut again.
import { execFileSync } from "node:child_process";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import type { Page } from "@playwright/test";
import { demo, edits, expect, home, point, sound, stateOf, test } from "./app.ts";
import { ebur128, samples } from "./ffmpeg.ts";

const made = (page: Page) => page.getByRole("region", { name: "Made so far" }).locator(".made > li").first();

/** What is behind a link. */
async function download(page: Page, url: string, to: string): Promise<string> {
  const r = await page.request.get(new URL(url, page.url()).href);
  expect(r.status()).toBe(200);
  mkdirSync(dirname(to), { recursive: true });
  writeFileSync(to, await r.body());
  return to;
}

test("what is off is said first; the mix comes to its loudness under its ceiling, and stems add to it", async ({
  page,
  app,
}, info) => {
  await demo(page, app);
  // A named range, from the page itself.
  await page.locator("#timeline").focus();
  for (const k of ["Home", "r", "Shift+ArrowRight", "Shift+ArrowRight", "Shift+R", "h"]) await page.keyboard.press(k);
  const dialog = page.locator("dialog.ask");
  await dialog.getByRole("textbox").fill("opening");
  const s = await edits(page, () => dialog.getByRole("button", { name: "Name it" }).click());
  expect(s.markers!.find((m) => m.name === "opening")!.length).toBe(2 * 48000);

  await page.goto(`${home(page)}/hand-over`);
  const off = page.getByRole("region", { name: "What is off" });
  await expect(off).toContainText("The mix passes full scale at");
  await expect(off).toContainText(/\d+ seams are rough and not accepted/);

  // First what would pass the ceiling, then the limiter, only since it is asked for.
  await page.getByRole("combobox", { name: "Loudness" }).selectOption("-16");
  await page.getByRole("combobox", { name: "True peak" }).selectOption("-1");
  await page.getByRole("button", { name: "Look first" }).click();
  await expect(made(page)).toContainText(/Passes the true peak that was asked for at \d+ places, most at/);
  await page.getByLabel("Limit what passes it").check();
  await page.getByLabel("One a purpose").check();
  await page.getByRole("combobox", { name: "Bits" }).selectOption("32f");
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(made(page)).toContainText(/Turned down at \d+ places/);
  const links = made(page).locator(".files a"),
    names = await links.allTextContents();
  expect(names).toEqual([
    "Kiln Night.wav",
    "Kiln Night dialogue.wav",
    "Kiln Night effects.wav",
    "Kiln Night music.wav",
    "All in one ZIP file",
  ]);
  const files = await Promise.all(
    [0, 1, 2, 3].map(async (i) =>
      download(page, (await links.nth(i).getAttribute("href"))!, join(info.outputDir, `${i}.wav`)),
    ),
  );
  const { lufs, dbtp } = ebur128(files[0]);
  expect(Math.abs(lufs + 16)).toBeLessThanOrEqual(0.15);
  expect(dbtp).toBeLessThanOrEqual(-0.9);
  const [whole, ...stems] = files.map((f) => samples(f));
  let worst = 0;
  for (let i = 0; i < whole.length; i += 7)
    worst = Math.max(worst, Math.abs(whole[i] - stems.reduce((sum, x) => sum + x[i], 0)));
  expect(worst).toBeLessThan(1e-6);
  const zip = await download(page, (await links.last().getAttribute("href"))!, join(info.outputDir, "all.zip"));
  expect(readFileSync(zip).subarray(0, 2).toString()).toBe("PK");

  // Every named range, in another kind.
  await page.getByRole("radio", { name: "None", exact: true }).check();
  await page.getByRole("combobox", { name: "Kind" }).selectOption("opus");
  await page.getByRole("radio", { name: /Every named range/ }).check();
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(made(page).locator("a").first()).toHaveText("Kiln Night opening.opus");

  // What was made goes when it is removed.
  const kept = await page.locator("ul.made > li").count();
  await page.getByRole("button", { name: "Remove Kiln Night opening.opus" }).click();
  await expect(page.locator("ul.made > li")).toHaveCount(kept - 1);

  // What cannot be is said where it was asked for.
  await page.locator(".handing").getByRole("textbox", { name: "Names" }).fill("{reel}");
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page.locator(".handing [role=alert]")).toContainText("{reel} stands for nothing in a name");
});

test("a package opens elsewhere and sounds the same, and cut lists are there to be fetched", async ({
  page,
  app,
}, info) => {
  await demo(page, app);
  const here = await sound(page, 0, 48000 * 20),
    scene = home(page);
  await page.goto(`${scene}/hand-over`);
  await page.getByRole("button", { name: "Pack it" }).click();
  await expect(made(page).locator("a").first()).toHaveText("Kiln Night.zip");
  const zip = await download(
    page,
    (await made(page).locator("a").first().getAttribute("href"))!,
    join(info.outputDir, "k.zip"),
  );
  const folder = join(info.outputDir, "elsewhere");
  execFileSync("python3", ["-m", "zipfile", "-e", zip, folder]);
  const out = join(info.outputDir, "there.wav");
  execFileSync("bin/blendseam", ["render", join(folder, "Kiln Night.otio"), "-o", out, "--depth", "32f"]);
  const there = samples(out);
  expect(there.subarray(0, here.length).findIndex((v, i) => v !== here[i])).toBe(-1);
  expect(readFileSync(join(folder, "seams.csv"), "utf8").split("\n").length).toBeGreaterThan(20);

  await expect(page.getByRole("region", { name: "Cut list" })).toContainText(
    /Of this scene it does not carry .*markers/,
  );
  const list = await download(page, `${scene}/scene.edl`, join(info.outputDir, "k.edl"));
  expect(readFileSync(list, "utf8")).toContain("TITLE: Kiln Night\nFCM: NON-DROP FRAME\n");
});

test("what a list cannot carry is said of this scene, and is in recordings of its own by one press", async ({
  page,
  app,
}, info) => {
  const s = await demo(page, app),
    scene = home(page),
    dialogue = s.tracks.find((t) => t.purpose === "dialogue")!,
    c = dialogue.clips.find((x) => x.length > 5 * 48000)!;
  const lull = {
      edit: "lull",
      clip: c.id,
      from: c.start + 48000,
      to: c.start + 96000,
      fade_in: 480,
      fade_out: 480,
    },
    quieter = { edit: "set_track", track: dialogue.id, gain_db: -4 };
  for (const [i, edit] of [lull, quieter].entries())
    expect((await page.request.post(`${scene}/edits`, { data: { revision: s.revision + i, edit } })).status()).toBe(
      200,
    );
  await page.reload();
  const here = await sound(page, 0, 48000 * 20);
  await page.goto(`${scene}/hand-over`);
  const lists = page.getByRole("region", { name: "Cut list" });
  await expect(lists).toContainText(/the lulls of one clip.*what one track does as a whole/);
  await lists.getByRole("button", { name: "Join what AES31-3 cannot carry, and write it" }).click();
  await expect(made(page).locator("a").first()).toHaveText("Kiln Night AES31-3.zip");
  const href = (await made(page).locator("a").first().getAttribute("href"))!,
    folder = join(info.outputDir, "list"),
    out = join(info.outputDir, "list.wav");
  execFileSync("python3", ["-m", "zipfile", "-e", await download(page, href, join(info.outputDir, "l.zip")), folder]);
  // The recordings that it did not have to join lie where they lay.
  execFileSync("sh", ["-c", `cp demo/recordings/* "${folder}/"`]);
  execFileSync("bin/blendseam", ["render", join(folder, "Kiln Night.adl"), "-o", out, "--depth", "32f"]);
  const there = samples(out);
  expect(here.findIndex((v, i) => Math.abs(v - there[i]) > 1e-4)).toBe(-1);
});

test("sound follows a picture that was cut again: seen first, ticked, done and taken back as one", async ({
  page,
  app,
}, info) => {
  const s = await demo(page, app),
    scene = home(page),
    shots = s.tracks.find((t) => t.kind === "picture")!.clips;
  const at = await point(page, s, "picture", shots[1].start * 1920, 0.5);
  expect(at.x).toBeGreaterThan(0);
  // The new cut: the third shot lifted, the last two swapped.
  const file = await download(page, `${scene}/scene.otio`, join(info.outputDir, "new.otio")),
    otio = JSON.parse(readFileSync(file, "utf8")),
    picture = otio.tracks.children.find((t: { kind: string }) => t.kind === "Video");
  otio.tracks.children = [picture];
  const list = picture.children;
  list.splice(2, 1);
  [list[list.length - 2], list[list.length - 1]] = [list[list.length - 1], list[list.length - 2]];
  writeFileSync(file, JSON.stringify(otio));

  await page.getByRole("navigation").getByRole("link", { name: "Come back" }).click();
  await page.getByLabel("Cut list").setInputFiles(file);
  const rows = page.locator(".changes tbody tr");
  await expect(rows).toHaveCount(2);
  await expect(rows.nth(0)).toContainText(/74 frames of Pell, take 1 lifted at 01:00:12:07.*one clip is kept aside/);
  await expect(rows.nth(1)).toContainText("swapped");
  await expect(page.locator("#strips .gone")).toHaveCount(1);
  await expect(page.locator("#strips .moves")).toHaveCount(1);
  // Every clip is named, with what becomes of it; how the sound follows is chosen beside.
  await rows
    .nth(0)
    .getByText(/^\d+ clips$/)
    .click();
  await expect(rows.nth(0)).toContainText(/Pell, take 1 \(Dialogue\) is kept aside/);
  const compared = page.waitForResponse((r) => r.url().includes("/recut?") && r.url().includes("extend=1"));
  await page.getByLabel("Fill the gaps that come from the clips' handles").check();
  expect((await compared).status()).toBe(200);
  const again = page.waitForResponse((r) => r.url().includes("/recut?") && !r.url().includes("extend=1"));
  await page.getByLabel("Fill the gaps that come from the clips' handles").uncheck();
  expect((await again).status()).toBe(200);
  const heard = page.waitForResponse((r) => r.url().includes("/recut/sound.wav"));
  await rows.nth(0).getByRole("button").click();
  const sent = await heard;
  expect([sent.status(), sent.headers()["content-type"]]).toEqual([200, "audio/wav"]);
  expect(Number(sent.headers()["content-length"])).toBeGreaterThan(6 * 48000 * 6);
  // Not the swap.
  await rows.nth(1).getByRole("checkbox").uncheck();
  await expect(page.locator("#strips .moves")).toHaveCount(0);
  const seams = page.getByRole("table", { name: "New seams" }).locator("tbody tr");
  await expect(seams).toHaveCount(1);
  await expect(seams).toContainText(/01:00:12:07.*click, .*blend of [23] frames .*; then clean/);
  const mended = page.waitForResponse((r) => r.url().includes("/recut/sound.wav") && r.url().includes("mend=1"));
  await seams.getByRole("button").click();
  expect((await mended).status()).toBe(200);
  await page.getByRole("button", { name: "Follow the new cut" }).click();
  await expect(page.getByRole("status").filter({ hasText: "follows the new cut" })).toContainText("1 of them mended");
  await page.getByRole("link", { name: /To the scene/ }).click();
  await expect(page.locator("h1")).toHaveText("Kiln Night");
  const cut = await stateOf(page),
    dialogue = (x: typeof s) => x.tracks.find((t) => t.name === "Dialogue")!.clips;
  const lifted = shots[2].length * 1920;
  const before = dialogue(s),
    after = dialogue(cut),
    last = before.at(-1)!;
  expect(after.find((c) => c.id === last.id)!.start).toBe(last.start - lifted);
  expect(cut.tracks.find((t) => t.kind === "picture")!.clips.length).toBe(shots.length - 1);
  await expect(page.locator(".list-head")).toContainText("rough");
  const undone = await edits(page, () => page.keyboard.press("Control+z"));
  expect(undone.tracks).toEqual(s.tracks);

  // A file that is none says so.
  await page.goto(`${scene}/come-back`);
  await page
    .getByLabel("Cut list")
    .setInputFiles({ name: "x.edl", mimeType: "text/plain", buffer: Buffer.from("001 A V C\n") });
  await expect(page.getByRole("alert").first()).toContainText("x.edl: line 1:");
});
