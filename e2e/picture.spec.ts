// The picture follows the playhead: frame by frame while stepping, and while playing. How near it is to the sound that
// is heard is measured by playing.mjs.
import { demo, expect, test, track } from "./app.ts";

test("while it plays, the picture is that of the timecode", async ({ page, app }) => {
  const s = await demo(page, app),
    start = track(s, "picture").clips[1].start; // over a cut of the picture
  await page.keyboard.press("Home");
  for (let n = 0; n < Math.floor(start / 25) - 1; n++) await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press(" ");
  await expect(page.locator("#play")).toContainText("Stop");
  const off = await page.evaluate(async (until) => {
    const list: number[] = [],
      picture = document.getElementById("picture")!;
    for (let frame = 0; frame < until; ) {
      await new Promise((done) => requestAnimationFrame(done));
      const [, , sec, f] = document.getElementById("timecode")!.textContent!.split(":").map(Number);
      frame = sec * 25 + f;
      list.push(frame - Number(picture.dataset.frame));
    }
    return list;
  }, start + 50);
  await page.keyboard.press(" ");
  expect(Math.min(...off)).toBe(0); // never ahead; behind while a sheet of pictures is on its way
  expect(off.filter((d) => d === 0).length).toBeGreaterThan(off.length / 2);
});

test("stepping shows every frame, and no other", async ({ page, app }) => {
  const s = await demo(page, app),
    cut = track(s, "picture").clips[1];
  const picture = page.locator("#picture"),
    look = () => picture.evaluate((c: HTMLCanvasElement) => c.toDataURL());
  const seconds = Math.floor(cut.start / 25),
    rest = cut.start % 25;
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
