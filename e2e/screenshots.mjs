// Makes the pictures in docs/screenshots from the demo: node e2e/screenshots.mjs
import { execFileSync } from "node:child_process";
import { mkdtempSync, readFileSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { withProgram } from "./program.mjs";

/** The scene's picture as if it had been cut again: shots lifted, swapped, trimmed, slipped, one put in. */
async function cutAgain(page, url) {
  const file = join(mkdtempSync(join(tmpdir(), "blendseam-cut-")), "kiln-night-2.otio"),
    otio = await (await page.request.get(`${url}scene.otio`)).json(),
    picture = otio.tracks.children.find((t) => t.kind === "Video"),
    list = picture.children;
  otio.tracks.children = [picture];
  [list[2], list[3]] = [list[3], list[2]];
  list[7].source_range.start_time.value += 6;
  list[7].source_range.duration.value -= 6;
  list[9].source_range.start_time.value += 5;
  const extra = structuredClone(list[0]);
  extra.source_range.start_time.value = 0;
  extra.source_range.duration.value = 45;
  list.splice(12, 0, extra);
  list.splice(5, 1);
  writeFileSync(file, JSON.stringify(otio));
  return file;
}

await withProgram("demo", async (page, url, dir) => {
  const shot = async (name) => {
    await page.waitForTimeout(700);
    await page.screenshot({ path: `docs/screenshots/${name}.png` });
  };
  const light = (l) =>
    page.evaluate((x) => {
      if (document.documentElement.classList.contains("lamp") !== (x === "lamp"))
        document.querySelector("[data-light]").click();
    }, l);
  const keys = async (...list) => {
    for (const k of list) await page.keyboard.press(k);
    await page.waitForTimeout(600);
  };
  const seam = async (words) => {
    // the list holds only the rows in view
    await page.locator("#timeline").focus();
    for (let n = 0; n < 40; n++) await page.keyboard.press("ArrowUp");
    for (let n = 0; n < 40 && (await page.locator(".card h2").textContent()) !== words; n++)
      await page.keyboard.press("ArrowDown");
  };
  const ready = () => page.waitForFunction(() => document.querySelector(".list-head").textContent.includes("rough"));

  const read = ["of-list", "of-bench", "of-card", "of-time"]; // the notes of a first visit
  await page.addInitScript((n) => localStorage.setItem("blendseam-notes-read", JSON.stringify(n)), read);
  await page.goto(url);
  await ready();
  // A few seams are done already, as in the middle of the work.
  for (const [at, ...does] of [
    ["Oda, take 1 → Pell, take 1", "b", "Shift+["],
    ["Pell, take 1 → Oda, take 1", "b"],
    ["Oda, take 1 → Oda, take 1", "b"],
  ]) {
    await seam(at);
    await keys(...does);
  }
  await seam("Pell, take 1 → Oda, take 1");
  await keys("[", "[", "[");
  await page.getByRole("slider", { name: "Lean" }).fill("-50");
  await page.locator("#timeline").focus();
  await page.waitForTimeout(1500);
  await shot("scene-linen");

  const box = await page.locator("#timeline").boundingBox();
  await page.mouse.click(box.x + 380, box.y + 120);
  await page.waitForTimeout(400);
  await light("lamp");
  await shot("scene-lamp");
  await light("linen");
  // A bump is lulled, all seams are mended; the report; blends by name.
  await keys("i");
  await page.getByRole("option", { name: /bump/ }).waitFor({ timeout: 60_000 });
  await page.waitForTimeout(300);
  await keys("Enter");
  await page.locator(".did", { hasText: "bump lulled" }).waitFor({ timeout: 20_000 });
  await page.locator(".toast button", { hasText: "Close" }).click();
  await keys("Alt+Home", "Control+m");
  await page.locator(".list-rows tbody tr").first().waitFor({ timeout: 90_000 });
  await page.getByRole("button", { name: /^Do these/ }).click();
  await page.locator(".did", { hasText: "seams mended" }).waitFor();
  await page.goto(`${url}report`);
  await shot("report");
  const now = await (await page.request.get(`${url}state`)).json();
  const voices = now.tracks.filter((t) => t.purpose === "dialogue").flatMap((t) => t.clips.map((c) => c.id));
  await page.request.post(`${url}edits`, {
    data: { revision: now.revision, edit: { edit: "gain", clips: voices.slice(0, 6), db: 12 } },
  });
  await page.goto(`${url}loud`);
  await page.locator("tbody tr").first().waitFor();
  await shot("loud");
  await page.request.post(`${url}undo`, { data: { revision: now.revision + 1 } });
  await page.goto(`${url}rooms`);
  await page.locator("tbody tr").first().waitFor({ timeout: 60_000 });
  await page.locator("tbody tr").nth(1).hover();
  await shot("rooms");
  // Voices against the band, drowned words; then music that makes way, a line, a distant take brought near.
  await page.goto(`${url}voices`);
  await page.locator("main", { hasText: "phrases are drowned" }).waitFor({ timeout: 60_000 });
  await shot("voices");
  await page.getByRole("button", { name: /^Let / }).click();
  await page.getByRole("button", { name: "Take it back" }).waitFor();
  await page.goto(url);
  await ready();
  const cloth = await page.locator("#timeline").boundingBox();
  await page.mouse.click(cloth.x + 390, cloth.y + 110);
  for (const x of [382, 402]) {
    await page.mouse.dblclick(cloth.x + x, cloth.y + 110);
    await keys("Alt+p");
  }
  await page.getByLabel("Point 2 level").fill("-4");
  await keys("Enter", "Alt+a");
  await page.getByRole("button", { name: "Measure" }).click();
  await page.locator("dialog.list-dialog").getByRole("button", { name: "Do it" }).click();
  await page.locator(".card", { hasText: "As near as" }).waitFor();
  await keys(" ");
  await page.waitForTimeout(2500);
  await page.locator("#curve").scrollIntoViewIfNeeded();
  await page.setViewportSize({ width: 1280, height: 860 }); // all tracks
  await shot("levels");
  await page.setViewportSize({ width: 1280, height: 800 });
  await keys(" ");
  // A reading at another length; clips that are joined; a line composed of two readings.
  const hold = async (track, n, shift) => {
    const { tracks } = await (await page.request.get(`${url}state`)).json(),
      end = Math.max(
        ...tracks
          .filter((t) => t.kind === "sound")
          .map((t) => t.clips.at(-1))
          .map((c) => c.start + c.length),
      ),
      c = tracks.find((t) => t.name === track).clips[n],
      of = { has: page.getByRole("button", { name: `Track ${track}` }) },
      y = (await page.locator(".head", of).boundingBox()).y + 12,
      all = await page.locator("#timeline").boundingBox();
    if (shift) await page.keyboard.down("Shift");
    await page.mouse.click(all.x + (0.97 * all.width * (c.start + c.length / 2)) / end, y);
    if (shift) await page.keyboard.up("Shift");
    await page.waitForTimeout(400);
  };
  const wide = async () => {
    await page.goto(url);
    await ready();
    await keys("Escape", "Escape", "Home");
  };
  await wide();
  await hold("Narrator", 0);
  await keys("Alt+w");
  await page.getByRole("button", { name: "Measure" }).click();
  await page.locator("dialog.list-dialog tbody tr").waitFor();
  await keys("Escape");
  await hold("Dialogue", 1);
  await hold("Dialogue", 2, true);
  await keys("Alt+j");
  await page.getByRole("button", { name: "Join", exact: true }).click();
  await page.locator(".card", { hasText: "Joined from" }).waitFor();
  const again = join(mkdtempSync(join(tmpdir(), "blendseam-shots-")), "narrator, again.wav");
  execFileSync("ffmpeg", [
    ...["-v", "error", "-y", "-i", "demo/recordings/narrator.flac"],
    ...["-af", "asetrate=48960,aresample=48000,atempo=0.95,lowpass=f=9000,adelay=1500:all=1,apad=pad_dur=1", again],
  ]);
  await page.request.post(`${url}sources`, {
    headers: { "Blendseam-Name": encodeURIComponent("narrator, again.wav"), "Content-Type": "audio/wav" },
    data: readFileSync(again),
  });
  await page.waitForTimeout(4000);
  await wide();
  await hold("Narrator", 0);
  await keys("Alt+d");
  await page.getByRole("button", { name: "Do it" }).click();
  await page.locator(".card", { hasText: "1 of 2" }).waitFor();
  const { revision, tracks } = await (await page.request.get(`${url}state`)).json(),
    said = tracks.find((t) => t.name === "Narrator").clips[0],
    part = `number=2&from=${said.start + 144000}&to=${said.start + 240000}`,
    plan = await (await page.request.get(`${url}clips/${said.id}/take?${part}`)).json();
  await page.request.post(`${url}edits`, { data: { revision, edit: plan.edit } });
  await wide();
  await seam("narrator → narrator, again");
  await keys("Shift+z");
  await page.waitForTimeout(1500);
  await page.goto(`${url}tone`);
  await page.waitForTimeout(2500);
  await shot("tone");
  await page.goto(new URL("/settings", url).href);
  await shot("settings");
  await page.goto(new URL("/", url).href);
  await shot("scenes");
  await page.goto(`${url}sources`);
  await shot("sources");
  await page
    .getByRole("row", { name: /Oda, take 2/ })
    .getByRole("link", { name: "Listen through" })
    .click();
  await page.waitForTimeout(1200);
  const wave = await page.locator("#source-wave").boundingBox();
  for (const [x0, x1, name] of [
    [130, 290, "my teacher"],
    [318, 460, "we do not sleep"],
    [560, 650, "too plain to keep"],
  ]) {
    await page.mouse.move(wave.x + x0, wave.y + 100);
    await page.mouse.down();
    await page.mouse.move(wave.x + x1, wave.y + 100, { steps: 4 });
    await page.mouse.up();
    await page.getByLabel("Name", { exact: true }).fill(name);
    await page.getByRole("button", { name: "Keep it" }).click();
    await page.waitForTimeout(500);
  }
  await page.mouse.click(wave.x + 600, wave.y + 100);
  await shot("source");
  await page.goto(new URL("/keys", url).href);
  await page.getByRole("searchbox").fill("sound");
  await shot("keys");
  await page.goto(`${url}hand-over`);
  await page.getByRole("combobox", { name: "Loudness" }).selectOption("-16");
  await page.getByRole("combobox", { name: "True peak" }).selectOption("-1");
  await page.getByRole("button", { name: "Look first" }).click();
  await page.waitForTimeout(2500);
  await page.getByLabel("Limit what passes it").check();
  await page.getByLabel("One a purpose").check();
  await page.getByRole("button", { name: "Make it" }).click();
  await page.getByRole("link", { name: "All in one ZIP file" }).waitFor();
  await page.evaluate(() => scrollTo(0, 0));
  await shot("hand-over");
  await page.goto(`${url}come-back`);
  await page.getByLabel("Cut list").setInputFiles(await cutAgain(page, url));
  await page.locator(".changes tbody tr").first().waitFor();
  await shot("come-back");
  // Others are there: one has a seam in hand, one listens on a phone.
  const password = "kiln-night-fires";
  for (const [name, role] of [
    ["Anna Berg", "owner"],
    ["Per Sand", "editor"],
    ["Liv Holm", "listener"],
  ])
    execFileSync("bin/blendseam", ["user", "add", name.split(" ")[0].toLowerCase(), "--shown", name, "--role", role], {
      env: { ...process.env, BLENDSEAM_VAR: dir },
      input: `${password}\n`,
    });
  const signedIn = async (name, viewport) => {
    const own = await (await page.context().browser().newContext({ viewport })).newPage();
    await own.addInitScript((n) => localStorage.setItem("blendseam-notes-read", JSON.stringify(n)), read);
    await own.goto(new URL("/", url).href);
    if (name === "anna") await own.screenshot({ path: "docs/screenshots/sign-in.png" });
    await own.getByLabel("Name").fill(name);
    await own.getByLabel("Password").fill(password);
    await own.getByRole("button", { name: "Sign in" }).click();
    await own.locator(".scenes").waitFor();
    return own;
  };
  const anna = await signedIn("anna", { width: 1280, height: 800 }),
    liv = await signedIn("liv", { width: 390, height: 844 });
  await liv.goto(`${url}listen`);
  const asks = async (n, words) => {
    await liv
      .getByRole("button", { name: /^Ask again/ })
      .nth(n)
      .click();
    await liv.getByLabel("Note", { exact: true }).fill(words);
    await liv.keyboard.press("Enter");
    await liv.waitForTimeout(500);
  };
  await asks(0, "The kiln drops away here. Can it stay under her line?");
  await asks(3, "I still hear the cut.");
  await liv
    .getByRole("button", { name: /^Approve/ })
    .nth(1)
    .click();
  await liv.waitForTimeout(700);
  await liv.screenshot({ path: "docs/screenshots/listen.png" });
  await anna.goto(`${url}remarks`);
  await anna.getByRole("button", { name: "Answer" }).first().click();
  await anna.getByLabel("Words").fill("A bed lies under it now. Listen again?");
  await anna.keyboard.press("Enter");
  await anna.waitForTimeout(700);
  await anna.mouse.click(5, 700);
  await anna.screenshot({ path: "docs/screenshots/notes.png" });
  await anna.goto(new URL("/people", url).href);
  await anna.waitForTimeout(700);
  await anna.screenshot({ path: "docs/screenshots/people.png" });
});
