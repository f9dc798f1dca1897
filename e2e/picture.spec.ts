// The picture follows the sound: frame by frame while stepping, within one frame while playing, measured by the browser's
// own audio clock.
import { demo, expect, test, track } from "./app.ts";

test("while playing, the picture is within one frame of the sound that is heard", async ({ page, app }, info) => {
  // The clock: when the first block of a play was scheduled, and at which sample of the scene it begins.
  await page.addInitScript(() => {
    const w = window as unknown as { heard?: { context: AudioContext; at: number; rate: number }; asked: number[] };
    w.asked = [];
    const fetched = window.fetch;
    window.fetch = (input, init) => {
      const m = /\/pcm\?from=(-?\d+)/.exec(String(input));
      if (m) w.asked.push(Number(m[1]));
      return fetched(input, init);
    };
    const start = AudioBufferSourceNode.prototype.start;
    AudioBufferSourceNode.prototype.start = function (this: AudioBufferSourceNode, when = 0, ...rest: number[]) {
      const from = w.asked.shift()!, context = this.context as AudioContext;
      w.heard = { context, at: when - from / context.sampleRate, rate: context.sampleRate };
      return start.call(this, when, ...rest);
    };
  });
  const s = await demo(page, app);
  const end = track(s, "picture").clips.at(-1)!;
  expect(end.start).toBeGreaterThan(1500);
  await page.keyboard.press("Home");
  for (let n = 0; n < 3; n++) await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press(" ");
  await expect(page.locator("#play")).toContainText("Stop");
  await expect.poll(() => page.locator("#picture").getAttribute("data-frame").then(Number), { timeout: 10_000 }).toBeGreaterThan(80);
  const off = await page.evaluate(async () => {
    const w = window as unknown as { heard: { context: AudioContext; at: number; rate: number } }, picture = document.getElementById("picture")!, list: number[] = [];
    const until = performance.now() + 8000; // over several cuts of the picture
    while (performance.now() < until) {
      await new Promise((done) => requestAnimationFrame(done));
      await new Promise((done) => setTimeout(done, 0)); // after the page has painted its frame
      const { context, at } = w.heard, sample = (context.currentTime - (context.outputLatency || 0) - at) * context.sampleRate;
      list.push(Number(picture.dataset.frame) - sample / 1920 + 0.5); // from the middle of the frame
    }
    return list;
  });
  await page.keyboard.press(" ");
  const far = off.filter((d) => Math.abs(d) > 1.5).length, sorted = off.map(Math.abs).sort((a, b) => a - b);
  info.annotations.push({ type: "picture against sound", description: `${off.length} looks, median ${sorted[off.length >> 1].toFixed(2)}, 99 % within ${sorted[Math.floor(off.length * 0.99)].toFixed(2)} frames of the middle` });
  console.log(info.annotations.at(-1)!.description);
  expect(off.length).toBeGreaterThan(60);
  expect(far / off.length).toBeLessThan(0.02);
});

test("stepping shows every frame, and no other", async ({ page, app }) => {
  const s = await demo(page, app), cut = track(s, "picture").clips[1];
  const picture = page.locator("#picture"), look = () => picture.evaluate((c: HTMLCanvasElement) => c.toDataURL());
  const seconds = Math.floor(cut.start / 25), rest = cut.start % 25;
  await page.keyboard.press("Home");
  for (let n = 0; n < seconds; n++) await page.keyboard.press("Shift+ArrowRight");
  for (let n = 0; n < rest - 1; n++) await page.keyboard.press("ArrowRight");
  await expect(picture).toHaveAttribute("data-frame", String(cut.start - 1));
  const last = await look();
  await page.keyboard.press("ArrowRight");
  await expect(picture).toHaveAttribute("data-frame", String(cut.start));
  const first = await look();
  expect(first).not.toBe(last);
  for (let n = 1; n <= 5; n++) {
    await page.keyboard.press("ArrowRight");
    await expect(picture).toHaveAttribute("data-frame", String(cut.start + n));
  }
  for (let n = 0; n < 6; n++) await page.keyboard.press("ArrowLeft");
  await expect.poll(look).toBe(last);
});
