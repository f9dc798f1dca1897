// Fields of figures: the keys come back, the old figure comes back, what cannot be is said beside the field.
import { clipOf, demo, edits, expect, stateOf, test, track } from "./app.ts";

test("Enter, Escape and Tab give the keys back, and a figure that cannot be is put back with the reason", async ({
  page,
  app,
}) => {
  await demo(page, app);
  const clip = track(await stateOf(page), "dialogue").clips[1];
  const gain = page.getByRole("textbox", { name: "Gain" });
  await page.goto(`${page.url()}?clip=${clip.id}`);
  await expect(gain).toHaveValue("+0.0 dB");
  const focused = () => page.evaluate(() => document.activeElement?.id);

  // A comma is a point; Enter takes the figure and gives the keys back.
  await gain.fill("-3,5");
  let s = await edits(page, () => gain.press("Enter"));
  expect(clipOf(s, clip.id).gain_db).toBe(-3.5);
  expect(await focused()).toBe("timeline");
  s = await edits(page, () => page.keyboard.press("-"));
  expect(clipOf(s, clip.id).gain_db).toBe(-4.5);

  // Escape puts the old one back, and nothing is done.
  await gain.fill("7");
  await gain.press("Escape");
  await expect(gain).toHaveValue("-4.5 dB");
  expect(await focused()).toBe("timeline");

  // What is no figure: the old one, and why, beside the field.
  await gain.fill("loud");
  await gain.press("Enter");
  await expect(gain).toHaveValue("-4.5 dB");
  await expect(page.locator(".card .figure-why")).toHaveText("A gain is a number of dB, such as -3.5.");
  await gain.fill("-4");
  await expect(page.locator(".figure-why")).toHaveCount(0);
  await edits(page, () => gain.press("Enter"));

  // What the scene refuses, too: over 60 dB is beyond what a gain may be.
  await gain.fill("99");
  await gain.press("Enter");
  await expect(page.locator(".card .figure-why")).toContainText("dB");
  await expect(gain).toHaveValue("-4.0 dB");
});

test("a range takes its ends in seconds, in timecode, and from the scene's start", async ({ page, app }) => {
  await demo(page, app);
  await page.locator("#timeline").focus();
  for (const k of ["Home", "r", "Shift+ArrowRight", "Shift+ArrowRight", "Shift+R"]) await page.keyboard.press(k);
  const end = page.getByRole("textbox", { name: "To", exact: true });
  for (const [typed, want] of [
    ["5", "01:00:05:00"],
    ["06:00", "01:00:06:00"],
    ["7,2", "01:00:07:05"],
    ["01:00:08:00", "01:00:08:00"],
    ["00:00:09:00", "01:00:09:00"],
  ]) {
    await end.fill(typed);
    await end.press("Enter");
    await expect(end).toHaveValue(want);
  }
});

test("a lull over several tracks asks which clip is meant, and -12 turns down by 12", async ({ page, app }) => {
  await demo(page, app);
  await page.locator("#timeline").focus();
  for (const k of ["Home", "r", "Shift+ArrowRight", "Shift+ArrowRight", "Shift+R"]) await page.keyboard.press(k);
  const lulls = async () =>
    (await stateOf(page)).tracks.flatMap((t) =>
      t.clips.flatMap((c) => (c.lulls ?? []).map((l) => ({ ...l, on: t.name }))),
    );
  await page.keyboard.press("l");
  const which = page.getByRole("dialog", { name: "Which clip is meant?" });
  await expect(which).toBeVisible();
  const options = await which.getByRole("option").allTextContents();
  expect(options.length).toBeGreaterThan(2);
  expect(options.at(-1)).toBe(`all ${options.length - 1} of them`);
  expect(options[0]).toContain("on Dialogue");
  await page.keyboard.press("Escape");
  expect(await lulls()).toEqual([]);

  await page.keyboard.press("l");
  await which.getByRole("combobox").selectOption({ index: options.length - 1 });
  await edits(page, () => which.getByRole("button", { name: "Lull it" }).click());
  expect((await lulls()).length).toBe(options.length - 1);
  await expect(page.locator(".did")).toContainText("on Dialogue");
  await edits(page, () => page.keyboard.press("Control+z"));

  await page.keyboard.press("Alt+l");
  const by = page.getByRole("dialog", { name: "Turn this stretch down" });
  await by.getByRole("textbox").fill("-12");
  await page.keyboard.press("Enter");
  await edits(page, () => which.getByRole("button", { name: "Lull it" }).click());
  expect(await lulls()).toEqual([expect.objectContaining({ depth_db: 12, on: "Dialogue" })]);
});

test("several clips in hand take gain, fades and a name as one", async ({ page, app }) => {
  const s0 = await demo(page, app);
  const clips = track(s0, "dialogue").clips.slice(1, 4);
  await page.goto(`${page.url()}?clip=${clips[0].id}`);
  await page.locator("#timeline").focus();
  const length = page.getByRole("textbox", { name: "Fade out" });
  await expect(length).toHaveValue("none");
  await page.keyboard.press("Control+a");
  await expect(page.locator(".card h2")).toContainText("clips in hand");
  const gain = page.getByRole("textbox", { name: "Gain" });
  await gain.fill("-2,5");
  let s = await edits(page, () => gain.press("Enter"));
  const sound = (x: typeof s) => x.tracks.filter((t) => t.kind === "sound").flatMap((t) => t.clips);
  expect(new Set(sound(s).map((c) => c.gain_db))).toEqual(new Set([-2.5]));
  await expect(gain).toHaveValue("-2.5 dB");
  await length.fill("2");
  s = await edits(page, () => length.press("Enter"));
  expect(sound(s).filter((c) => c.fade_out?.length === 3840).length).toBe(sound(s).length);
  s = await edits(page, () => page.keyboard.press("Control+z"));
  const name = page.locator(".card").getByRole("textbox", { name: "Name" });
  await name.fill("all one");
  s = await edits(page, () => name.press("Enter"));
  expect(new Set(s.tracks.flatMap((t) => t.clips).map((c) => c.name))).toEqual(new Set(["all one"]));
});
