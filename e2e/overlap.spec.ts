// A clip that is drawn over its neighbour overlaps it and is blended there: one drag; or a length that is typed.
import { demo, drag, edits, expect, point, stateOf, take, test, track } from "./app.ts";

test("a clip drawn over its neighbour is blended with it, exactly as far as it overlaps", async ({ page, app }) => {
  let s = await demo(page, app);
  const { clips, blends } = track(s, "dialogue"),
    i = clips.findIndex(
      (c, k) =>
        k > 0 &&
        clips[k - 1].start + clips[k - 1].length === c.start &&
        !blends?.some((b) => b.right === c.id) &&
        Math.min(c.length, clips[k - 1].length) > 200000,
    ),
    [before, clip] = [clips[i - 1], clips[i]],
    from = await point(page, s, "dialogue", clip.start + clip.length / 2, 0.6);
  const there = await point(page, s, "dialogue", clip.start + clip.length / 2 - 60 * 1920, 0.6);
  let words = "";
  s = await edits(page, async () => (words = await drag(page, from, there.x - from.x)));
  expect(words).toMatch(/overlaps .* by [\d.]+ frames, blended; all that follows stays/);
  const b = track(s, "dialogue").blends!.find((x) => x.left === before.id)!;
  expect(b.right).toBe(clip.id);
  const over = b.before + b.after;
  expect(over % 1920).toBe(0);
  expect(Math.abs(over - 60 * 1920)).toBeLessThan(16 * 1920);
  expect(s.undo).toContain(`overlap by ${over / 1920} frames, blended`);
  // Both are heard to where they were heard, and what follows lies where it lay.
  const now = track(s, "dialogue").clips,
    [l, r] = [now.find((c) => c.id === before.id)!, now.find((c) => c.id === clip.id)!];
  expect(l.length + b.after).toBe(before.length);
  expect(r.in - b.before).toBe(clip.in);
  expect(now.at(-1)!.start).toBe(clips.at(-1)!.start);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => track(await stateOf(page), "dialogue").clips[i].start).toBe(clip.start);
});

test("two neighbours overlap by a length that is typed, and all that follows goes along where edges close up", async ({
  page,
  app,
}) => {
  let s = await demo(page, app);
  const clips = track(s, "dialogue").clips,
    i = clips.findIndex((c, k) => k > 3 && clips[k - 1].start + clips[k - 1].length === c.start),
    length = Math.max(...clips.map((c) => c.start + c.length));
  const by = async (words: string) => {
    await page.keyboard.press("/");
    await page.keyboard.type("overlap two");
    await page.keyboard.press("Enter");
    const asks = page.getByRole("dialog", { name: / overlap$/ });
    await asks.getByLabel("By how much").fill(words);
    await page.keyboard.press("Enter");
  };
  await page.keyboard.press("/");
  await page.keyboard.type("overlap two");
  await page.keyboard.press("Enter");
  await expect(page.locator(".toast")).toContainText("No two neighbours of one track are in hand");
  await take(page, s, "dialogue", clips[i - 1]);
  await take(page, s, "dialogue", clips[i], "Shift");
  await page.keyboard.press("/");
  await page.keyboard.type("edges close up");
  await page.keyboard.press("Enter");
  s = await edits(page, () => by("25"));
  expect(s.undo).toContain("25 frames");
  expect(Math.max(...track(s, "dialogue").clips.map((c) => c.start + c.length))).toBe(length - 25 * 1920);
});

test("a range is drawn on one clip alone, its tracks are chosen by a click, and what Delete takes is named", async ({
  page,
  app,
}) => {
  let s = await demo(page, app);
  const clip = track(s, "dialogue").clips.find((c) => c.length > 5 * 48000)!,
    at = (n: number) => point(page, s, "dialogue", clip.start + n, 0.6),
    from = await at(48000),
    to = await at(48000 + 40 * 1920),
    hint = page.locator(".card .hint");
  await page.keyboard.down("Control");
  await page.keyboard.down("Alt");
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(to.x, to.y + 4, { steps: 4 });
  await page.mouse.up();
  await page.keyboard.up("Alt");
  await page.keyboard.up("Control");
  await expect(hint).toContainText(/^Delete takes [\d.]+ frames out of Dialogue; .* stay\./);
  // Another track is taken in by a click on its name, and out again.
  const name = page.locator("#heads").getByRole("button", { name: "Track Effects" });
  await name.click({ modifiers: ["Shift"] });
  await expect(hint).toContainText(/out of .*Dialogue/);
  await expect(name).toHaveAttribute("aria-pressed", "true");
  await name.click({ modifiers: ["Shift"] });
  await expect(name).toHaveAttribute("aria-pressed", "false");
  s = await edits(page, () => page.keyboard.press("Delete"));
  expect(s.undo).toMatch(/removed on track Dialogue, a gap left; .* stays?$/);
});

test("clips in hand become files of their own", async ({ page, app }) => {
  const s = await demo(page, app),
    [a, b] = track(s, "dialogue").clips.slice(1, 3),
    ask = async () => {
      await page.keyboard.press("/");
      await page.keyboard.type("clips in hand as files");
      await page.keyboard.press("Enter");
    };
  await ask();
  await expect(page.locator(".toast")).toContainText("No clip of sound is in hand");
  await take(page, s, "dialogue", a);
  await take(page, s, "dialogue", b, "Shift");
  await ask();
  const asks = page.getByRole("dialog", { name: "2 clips as files" }),
    got = page.waitForEvent("download");
  await asks.getByLabel("Kind of file").selectOption("flac");
  await asks.getByRole("button", { name: "Make the files" }).click();
  expect((await got).suggestedFilename()).toMatch(/\.zip$/);
});
