// Starts the program in a folder of its own with a browser page, and ends both when the work is done.
import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "@playwright/test";

/** Runs work with the page, the address that the program prints and its folder; what is "demo" or "serve". */
export async function withProgram(what, work) {
  const dir = mkdtempSync(join(tmpdir(), "blendseam-"));
  const program = spawn("bin/blendseam", [what, "--listen", "127.0.0.1:0"], {
    env: { ...process.env, BLENDSEAM_VAR: dir },
    stdio: ["ignore", "pipe", "inherit"],
  });
  const gone = new Promise((done) => program.on("exit", done));
  let browser;
  try {
    const url = await Promise.race([
      new Promise((found) => program.stdout.on("data", (d) => /http:\S+/.exec(d) && found(/http:\S+/.exec(d)[0]))),
      gone.then(() => Promise.reject(new Error("the program ended before it said its address"))),
    ]);
    browser = await chromium.launch({
      executablePath: process.env.BLENDSEAM_CHROMIUM ?? "/usr/bin/chromium-headless-shell",
      args: [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-background-networking",
        "--autoplay-policy=no-user-gesture-required",
      ],
    });
    await work(await browser.newPage({ viewport: { width: 1280, height: 800 } }), url, dir);
  } finally {
    await browser?.close();
    program.kill("SIGTERM");
    await gone;
    rmSync(dir, { recursive: true, force: true });
  }
}
