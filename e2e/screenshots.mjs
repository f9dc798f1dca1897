// Makes the pictures in docs/screenshots from the demo: node e2e/screenshots.mjs
import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "@playwright/test";

const dir = mkdtempSync(join(tmpdir(), "blendseam-pictures-"));
const program = spawn("bin/blendseam", ["demo", "--listen", "127.0.0.1:0"], { env: { ...process.env, BLENDSEAM_VAR: dir }, stdio: ["ignore", "pipe", "inherit"] });
const url = await new Promise((found) => program.stdout.on("data", (d) => /http:\S+/.exec(d) && found(/http:\S+/.exec(d)[0])));
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu", "--autoplay-policy=no-user-gesture-required"] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const shot = async (name) => {
  await page.waitForTimeout(700);
  await page.screenshot({ path: `docs/screenshots/${name}.png` });
};
const light = (l) => page.evaluate((x) => { if (document.documentElement.classList.contains("lamp") !== (x === "lamp")) document.querySelector("[data-light]").click(); }, l);

try {
  await page.goto(url);
  await page.waitForFunction(() => document.querySelector(".list-head").textContent.includes("rough"));
  // A few seams are blended already, as in the middle of the work.
  for (const [at, keys] of [["Oda, take 1 → Pell, take 1", ["b"]], ["Pell, take 1 → Oda, take 1", ["b"]], ["Oda, take 1 → Oda, take 1", ["b"]]]) {
    await page.locator("[data-seam]", { hasText: at }).first().click();
    for (const k of keys) await page.keyboard.press(k);
    await page.waitForTimeout(900);
  }
  await page.locator("[data-seam]", { hasText: "Pell, take 1 → Oda, take 1" }).first().click();
  await page.getByRole("slider", { name: "Lean" }).fill("-50");
  await page.getByRole("button", { name: "One frame longer" }).click();
  await page.waitForTimeout(1500);
  await shot("scene-linen");
  const clip = page.locator("#timeline"), box = await clip.boundingBox();
  await page.mouse.click(box.x + 440, box.y + 95);
  await page.mouse.move(box.x + 30, box.y + 315);
  await light("lamp");
  await shot("scene-lamp");
  await light("linen");
  await page.goto(new URL("/", url).href);
  await shot("scenes");
  await page.goto(url + "sources");
  await shot("sources");
  await page.goto(url + "hand-over");
  for (const kind of ["WAV", "FLAC", "MP3"]) {
    await page.getByLabel(kind).check();
    await page.getByRole("button", { name: "Make the mixdown" }).click();
    await page.waitForTimeout(2500);
  }
  await shot("hand-over");
} finally {
  await browser.close();
  const gone = new Promise((done) => program.on("exit", done));
  program.kill("SIGTERM");
  await gone;
  rmSync(dir, { recursive: true, force: true });
}
