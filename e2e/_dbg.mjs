// Measures the interface on a scene of 2,000 clips, by the browser's own clock: frame time while dragging, key press to
// repainted timeline, opening. node e2e/large-scene.mjs prints the figures; make bench runs it.
import { spawn } from "node:child_process";
import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { chromium } from "@playwright/test";

const dir = mkdtempSync(join(tmpdir(), "blendseam-large-")), F = 1920, EACH = 40; // frames of each clip
const program = spawn("bin/blendseam", ["serve", "--listen", "127.0.0.1:0"], { env: { ...process.env, BLENDSEAM_VAR: dir }, stdio: ["ignore", "pipe", "inherit"] });
const base = await new Promise((found) => program.stdout.on("data", (d) => /http:\S+/.exec(d) && found(new URL(/http:\S+/.exec(d)[0]).origin)));
const browser = await chromium.launch({ executablePath: process.env.BLENDSEAM_CHROMIUM ?? "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu", "--autoplay-policy=no-user-gesture-required"] });
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const post = async (path, data, headers = {}) => {
  const r = await page.request.post(base + path, { data, headers });
  if (!r.ok()) throw new Error(`${path}: ${r.status()} ${await r.text()}`);
  return r.json();
};

/** 250 clips of picture with their sound, and 1,500 of sound on six more tracks, a third of the cuts blended. */
async function build() {
  const { id } = await post("/scenes", { name: "Large", rate: "25", sample_rate: 48000, channels: 2 });
  const job = await post(`/scenes/${id}/sources`, readFileSync("demo/recordings/oda-take-1.mkv"), { "Blendseam-Name": "take.mkv" });
  let state, source;
  for (let n = 0; n < 300 && !source; n++) {
    await new Promise((done) => setTimeout(done, 100));
    state = await (await page.request.get(`${base}/scenes/${id}/state`)).json();
    [source] = Object.keys(state.sources);
  }
  if (!source) throw new Error(`the recording did not come in: ${JSON.stringify(job)}`);
  const track = (name, purpose) => ({ edit: "add_track", name, purpose });
  let answer = await post(`/scenes/${id}/edits`, { revision: state.revision, edit: { edit: "several", edits: [track("Picture", "picture"), track("Dialogue", "dialogue"), ...[1, 2, 3, 4, 5, 6].map((n) => track(`Sound ${n}`, n < 4 ? "effects" : "tone"))] } });
  state = await (await page.request.get(`${base}/scenes/${id}/state`)).json();
  const [picture, dialogue, ...more] = state.tracks.map((t) => t.id), adds = [];
  for (let k = 0; k < 250; k++) {
    const at = { source, in: (30 + (k % 9) * 50) * F, start: k * EACH * F, length: EACH * F };
    adds.push({ edit: "add", track: dialogue, picture, ...at });
    for (const t of more) adds.push({ edit: "add", track: t, ...at });
  }
  answer = await post(`/scenes/${id}/edits`, { revision: answer.revision, edit: { edit: "several", edits: adds } });
  state = await (await page.request.get(`${base}/scenes/${id}/state`)).json();
  const blends = state.tracks.slice(1).flatMap((t) => t.clips.flatMap((c, i) => (i % 3 === 1 ? [{ edit: "set_blend", left: t.clips[i - 1].id, right: c.id, before: 2 * F, after: 2 * F, law: "constant_power" }] : [])));
  await post(`/scenes/${id}/edits`, { revision: answer.revision, edit: { edit: "several", edits: blends } });
  return `${base}/scenes/${id}/`;
}

const DEBUG = 1;
const at = (list, q) => [...list].sort((a, b) => a - b)[Math.min(list.length - 1, Math.floor(list.length * q))];
const say = (what, list, budget) => console.log(`${what.padEnd(52)} median ${at(list, 0.5).toFixed(1)} ms, p95 ${at(list, 0.95).toFixed(1)} ms  (${budget})`);

try {
  const url = await build();
  await page.goto(url);
  const clips = await page.evaluate(() => JSON.parse(document.getElementById("data").textContent).state.tracks.reduce((n, t) => n + t.clips.length, 0));
  console.log(`a scene of ${clips} clips at 1280x800`);
  await page.waitForFunction(() => /rough/.test(document.querySelector(".list-head").textContent), null, { timeout: 240_000 });
  const opened = [];
  for (let n = 0; n < 5; n++) {
    await page.goto(url);
    await page.waitForFunction(() => performance.getEntriesByName("first-contentful-paint").length);
    opened.push(await page.evaluate(() => performance.getEntriesByName("first-contentful-paint")[0].startTime));
  }
  say("opening to first paint", opened, "under 1 s");
  await page.waitForTimeout(1500);
  const box = await page.locator("#timeline").boundingBox();

  // Key press to repainted timeline: from the press, by its own time stamp, to the end of the frame in which what the
  // server answered was painted.
  await page.keyboard.press("Alt+Home");
  await page.keyboard.press("Home");
  await page.evaluate(() => {
    window.took = [];
    let pressed = 0;
    addEventListener("keydown", (e) => (pressed = e.timeStamp), { capture: true });
    new MutationObserver(() => {
      if (!/edit \d/.test(document.querySelector(".kept").textContent) || !pressed) return;
      const from = pressed;
      pressed = 0;
      requestAnimationFrame(() => setTimeout(() => window.took.push(performance.now() - from)));
    }).observe(document.querySelector(".kept"), { characterData: true, childList: true, subtree: true });
  });

  const cdp = await page.context().newCDPSession(page);
  await page.evaluate(() => {
    window.spans = [];
    const f = window.fetch;
    window.fetch = async (u, i) => { const t = performance.now(); const r = await f(u, i); window.spans.push([String(u).slice(-30), t, performance.now() - t]); return r; };
  });
  await cdp.send("Profiler.enable"); await cdp.send("Profiler.setSamplingInterval", { interval: 500 }); 
  for (let n = 0; n < 9; n++) await page.keyboard.press("ArrowDown");
  await page.keyboard.press("p"); await page.waitForTimeout(3000);

  const buffer = await browser.startTracing(page, { categories: ["devtools.timeline", "disabled-by-default-devtools.timeline", "toplevel", "blink", "cc", "disabled-by-default-v8.cpu_profiler"] });
  for (let n = 0; n < 20; n++) { await page.keyboard.press(n % 2 ? "-" : "="); await page.waitForTimeout(300); }
  const ev = JSON.parse((await browser.stopTracing()).toString()).traceEvents;
  const names = {}; for (const e of ev) if (e.name === "thread_name") names[e.pid + "/" + e.tid] = e.args.name;

  const keys = ev.filter((e) => e.name === "EventDispatch" && e.args?.data?.type === "keydown").map((e) => e.ts).sort();
  for (const k of [keys[8], keys[9]]) {
    console.log("---- key");
    for (const e of ev.filter((e) => e.ph === "X" && names[e.pid + "/" + e.tid] === "CrRendererMain" && e.ts >= k - 100 && e.ts < k + 130000 && e.dur > 1500 && !/RunTask|ThreadController|serviceScripted|WebFrameWidgetImpl::Begin|UpdateTime|Blink\./.test(e.name)).sort((a, b) => a.ts - b.ts)) console.log(`${((e.ts - k) / 1000).toFixed(1)} +${(e.dur / 1000).toFixed(1)} ${e.name} ${e.args?.data?.functionName ?? ""} ${e.args?.data?.type ?? ""} ${e.args?.data?.columnNumber ?? ""}`);
  }
  const spans = await page.evaluate(() => window.spans);
  const g = {}; for (const [u, , d] of spans) { const k = /edits|seams|bench|try/.exec(u)?.[0] ?? u; (g[k] ??= []).push(d); }
  for (const [k, v] of Object.entries(g)) console.log(k, v.length, "median", at(v, 0.5).toFixed(0), "max", Math.max(...v).toFixed(0));
  say("took", await page.evaluate(() => window.took), "");
} finally {
  await browser.close();
  const gone = new Promise((done) => program.on("exit", done));
  program.kill("SIGTERM");
  await gone;
  rmSync(dir, { recursive: true, force: true });
}
