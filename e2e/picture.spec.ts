// The picture follows the playhead: frame by frame while stepping, and while playing. How near it is to the sound that
// is heard is measured by playing.mjs.
import { demo, edits, expect, home, sound, stateOf, test, track } from "./app.ts";

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

test("a picture dissolves into the next in two actions: seen, in the scene file, and not heard", async ({
  page,
  app,
}) => {
  let s = await demo(page, app);
  const clips = track(s, "picture").clips,
    i = clips.findIndex((c, k) => k > 0 && c.in > 12 && clips[k - 1].start + clips[k - 1].length === c.start),
    cut = clips[i],
    picture = page.locator("#picture"),
    look = () => picture.evaluate((c: HTMLCanvasElement) => c.toDataURL());
  await page.keyboard.press("Home");
  for (let n = 0; n < Math.floor(cut.start / 25); n++) await page.keyboard.press("Shift+ArrowRight");
  for (let n = 0; n < cut.start % 25; n++) await page.keyboard.press("ArrowRight");
  await expect(picture).toHaveAttribute("data-frame", String(cut.start));
  const plain = await look(),
    before = await sound(page, cut.start * 1920 - 24000, 48000);
  await page.keyboard.press("Control+Alt+d"); // 1
  await expect(page.getByRole("dialog", { name: /^Dissolve/ })).toBeVisible();
  s = await edits(page, () => page.keyboard.press("Enter")); // 2
  expect(track(s, "picture").blends).toMatchObject([{ left: clips[i - 1].id, right: cut.id, before: 6, after: 6 }]);
  expect(s.undo).toContain("over 12 frames");
  await expect.poll(look).not.toBe(plain); // both pictures, half of each
  for (let n = 0; n < 6; n++) await page.keyboard.press("ArrowRight");
  for (let n = 0; n < 6; n++) await page.keyboard.press("ArrowLeft");
  await expect(picture).toHaveAttribute("data-frame", String(cut.start));
  expect(await sound(page, cut.start * 1920 - 24000, 48000)).toEqual(before);
  const file = JSON.parse(await (await page.request.get(`${home(page)}/scene.otio`)).text()),
    video = file.tracks.children.find((t: { kind: string }) => t.kind === "Video"),
    transition = video.children.find((c: { OTIO_SCHEMA: string }) => c.OTIO_SCHEMA === "Transition.1");
  expect(transition).toMatchObject({
    transition_type: "SMPTE_Dissolve",
    in_offset: { value: 6 },
    out_offset: { value: 6 },
  });
  // more frames than there are: what would work is offered, and nothing is done
  await page.keyboard.press("Control+Alt+d");
  await page.getByLabel("Frames; none for a plain cut").fill("2000");
  await page.keyboard.press("Enter");
  await expect(page.locator(".toast")).toContainText("to dissolve over");
  await page.keyboard.press("Escape");
  await page.keyboard.press("Control+Alt+d");
  await page.getByLabel("Frames; none for a plain cut").fill("none");
  s = await edits(page, () => page.keyboard.press("Enter"));
  expect((await stateOf(page)).tracks.find((t) => t.kind === "picture")!.blends ?? []).toHaveLength(0);
  await expect.poll(look).toBe(plain);
});
