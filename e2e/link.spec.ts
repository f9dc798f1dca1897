// A scene file whose recording is not here comes in all the same: silent there, until it is linked.
import { bringAndLayOut, expect, home, newScene, sound, test } from "./app.ts";

const VOICES = ["/usr/share/sounds/alsa/Front_Left.wav", "/usr/share/sounds/alsa/Rear_Right.wav"];

test("what is missing is silent at its length, named, and linked once it has come", async ({ page, app }) => {
  await newScene(page, app, "Whole");
  await bringAndLayOut(page, [VOICES[0]]);
  const whole = await sound(page, 0, 96000);
  const raw = await (await page.request.get(`${home(page)}/scene.otio`)).text();
  // Another scene file: its second clip is of a recording that nobody has brought in.
  const otio = JSON.parse(raw),
    clips = otio.tracks.children.find((t: { name: string }) => t.name === "Dialogue").children,
    second = structuredClone(clips.at(-1));
  second.name = "Rear_Right";
  second.source_range.duration.value = 48000;
  Object.assign(second.media_references.DEFAULT_MEDIA, {
    name: "Rear_Right",
    target_url: "Rear_Right.wav",
    metadata: {},
  });
  second.media_references.DEFAULT_MEDIA.available_range = null;
  clips.push(second);
  otio.name = "Half";
  await page.goto(app.base);
  await page
    .locator('input[type="file"]')
    .first()
    .setInputFiles({ name: "half.otio", mimeType: "application/json", buffer: Buffer.from(JSON.stringify(otio)) });
  await expect(page.locator("h1")).toHaveText("Half");
  const length = whole.length,
    first = clips[0].source_range.duration.value;
  const both = await sound(page, 0, first + 48000);
  expect(both.length).toBeGreaterThan(length - 1);
  expect(both.subarray(2 * first).every((v) => v === 0)).toBe(true);
  await page.goto(`${home(page)}/hand-over`);
  await expect(page.getByRole("region", { name: "What is off" })).toContainText("The recording Rear_Right is missing");
  await page.goto(`${home(page)}/sources`);
  const missing = page.getByRole("region", { name: "Missing recordings" });
  await expect(missing).toContainText(/Rear_Right ?one clip, from Rear_Right.wav/);
  // The wrong one is refused by its length or taken; the right one, brought in, is linked by itself.
  await page.getByLabel("Recordings", { exact: true }).setInputFiles(VOICES[1]);
  await expect(missing).toBeHidden();
  await page.goto(`${home(page)}/`);
  await expect(page.locator("h1")).toHaveText("Half");
  const linked = await sound(page, first, 48000);
  expect(linked.some((v) => v !== 0)).toBe(true);
});
