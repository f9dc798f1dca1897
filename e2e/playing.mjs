// Measures how near the picture is to the sound that is heard while the demo plays, by the browser's own audio clock.
// node e2e/playing.mjs prints the figure; make bench runs it.
import { withProgram } from "./program.mjs";

await withProgram("demo", async (page, url) => {
  // The clock: when the first block of a play was scheduled, and at which sample of the scene it begins.
  await page.addInitScript(() => {
    const w = window;
    w.asked = [];
    const fetched = window.fetch;
    window.fetch = (input, init) => {
      const m = /\/pcm\?from=(-?\d+)/.exec(String(input));
      if (m) w.asked.push(Number(m[1]));
      return fetched(input, init);
    };
    const start = AudioBufferSourceNode.prototype.start;
    AudioBufferSourceNode.prototype.start = function (when = 0, ...rest) {
      const from = w.asked.shift(),
        context = this.context;
      w.heard = { context, at: when - from / context.sampleRate, rate: context.sampleRate };
      return start.call(this, when, ...rest);
    };
  });
  await page.goto(url);
  await page.locator(".list-head", { hasText: "rough" }).waitFor({ timeout: 120_000 });
  await page.keyboard.press("Home");
  for (let n = 0; n < 3; n++) await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press(" ");
  await page.waitForFunction(() => Number(document.getElementById("picture").dataset.frame) > 80);
  const off = await page.evaluate(async () => {
    const w = window,
      picture = document.getElementById("picture"),
      list = [],
      until = performance.now() + 8000; // over several cuts
    while (performance.now() < until) {
      await new Promise((done) => requestAnimationFrame(done));
      await new Promise((done) => setTimeout(done, 0)); // after the page has painted its frame
      const { context, at } = w.heard;
      const sample = (context.currentTime - (context.outputLatency || 0) - at) * context.sampleRate;
      list.push(Number(picture.dataset.frame) - sample / 1920 + 0.5); // from the middle of the frame
    }
    return list;
  });
  const sorted = off.map(Math.abs).sort((a, b) => a - b);
  const at = (share) => sorted[Math.floor((off.length - 1) * share)].toFixed(2);
  console.log(
    `picture against sound: ${off.length} looks, median ${at(0.5)}, 99 % within ${at(0.99)} frames of the middle ` +
      `(budget 1.5)`,
  );
});
