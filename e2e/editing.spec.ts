// Editing on the demo scene, by pointer and by key.
import {
  clipOf,
  demo,
  drag,
  edits,
  expect,
  kept,
  point,
  type SceneState,
  seams,
  shown,
  stateOf,
  test,
  track,
} from "./app.ts";

test("clips are moved, trimmed with a gap and closed up, and faded by their grips", async ({ page, app }) => {
  let s = await demo(page, app);
  const tune = track(s, "music").clips[0],
    start = tune.start;
  await page.keyboard.press("t"); // no snapping
  let words = "";
  s = await edits(page, async () => (words = await drag(page, await point(page, s, "music", start + 480000, 0.6), 12)));
  const moved = clipOf(s, tune.id).start - start;
  expect(moved).toBeGreaterThan(0);
  expect(moved % 1920).toBe(0);
  expect(words).toContain(`${moved / 1920} frames later`);

  // The lower grip at the head leaves a gap.
  s = await edits(
    page,
    async () => (words = await drag(page, await point(page, s, "music", clipOf(s, tune.id).start, 0.8), 20)),
  );
  expect(words).toMatch(/head \d+ frames shorter; clip \d+:\d\d; \d+ frames of room left/);
  expect(clipOf(s, tune.id).start).toBeGreaterThan(start + moved);
  expect(clipOf(s, tune.id).in).toBe(clipOf(s, tune.id).start - start - moved);

  // The dot in the top corner fades the tail.
  const end = (c: { start: number; length: number }) => c.start + c.length;
  const dot = await point(page, s, "music", end(clipOf(s, tune.id)), 0.12);
  s = await edits(page, async () => (words = await drag(page, { x: dot.x - 13, y: dot.y }, -40)));
  expect(clipOf(s, tune.id).fade_out!.length).toBeGreaterThan(48000);
  expect(words).toContain("fade over");

  // The middle grip of a cut rolls it: both clips change, nothing else moves.
  const [a, b] = track(s, "dialogue").clips.slice(1, 3);
  s = await edits(page, async () => (words = await drag(page, await point(page, s, "dialogue", b.start, 0.5), 8)));
  expect(words).toMatch(/cut \d+ frames later/);
  const by = clipOf(s, b.id).start - b.start;
  expect(by).toBeGreaterThan(0);
  expect(clipOf(s, a.id).length).toBe(a.length + by);
  expect(end(clipOf(s, b.id))).toBe(end(b));

  // The upper grip closes up: all that follows comes along, picture too.
  const long = track(s, "dialogue").clips.find((c) => c.name === "Oda, take 2" && c.length > 400_000)!,
    after = track(s, "dialogue").clips[track(s, "dialogue").clips.indexOf(long) + 1];
  s = await edits(
    page,
    async () => (words = await drag(page, await point(page, s, "dialogue", end(long) - 2 * shown.perPixel, 0.15), -10)),
  );
  expect(words).toMatch(/tail \d+ frames shorter; clip .*; all after it \d+ frames earlier/);
  const shorter = long.length - clipOf(s, long.id).length;
  expect(shorter).toBeGreaterThan(0);
  expect(clipOf(s, after.id).start).toBe(after.start - shorter);
  const picture = track(s, "picture").clips.find((c) => c.link === clipOf(s, after.id).link)!;
  expect(picture.start * 1920).toBe(clipOf(s, after.id).start);

  // Escape gives a drag up.
  const from = await point(page, s, "music", clipOf(s, tune.id).start + 480000, 0.6);
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(from.x + 30, from.y, { steps: 3 });
  await page.keyboard.press("Escape");
  await page.mouse.up();
  expect((await stateOf(page)).revision).toBe(s.revision);
});

test("the keys do what the list of keys says", async ({ page, app }) => {
  let s = await demo(page, app);
  const dialogue = () => track(s, "dialogue").clips;
  const oda = dialogue().find((c) => c.name === "Oda, take 2" && c.length > 400_000)!;
  const spot = await point(page, s, "dialogue", oda.start + 96000, 0.6);
  await page.mouse.click(spot.x, spot.y);
  await expect(page.locator(".card h2")).toHaveText("Oda, take 2");
  s = await edits(page, () => page.keyboard.press("-"));
  s = await edits(page, () => page.keyboard.press("-"));
  s = await edits(page, () => page.keyboard.press("="));
  expect(clipOf(s, oda.id).gain_db).toBe(-1);
  await expect(page.getByLabel("Gain", { exact: true })).toHaveValue("-1.0 dB");

  // Playhead to the middle of the clip by keys; D divides picture and sound there.
  await page.keyboard.press("Home");
  for (let n = 0; n < 43; n++) await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("ArrowRight");
  await expect(page.locator("#timecode")).toHaveText("01:00:43:01");
  const at = (43 * 25 + 1) * 1920;
  const n = dialogue().length,
    pictures = track(s, "picture").clips.length;
  s = await edits(page, () => page.keyboard.press("d"));
  expect(dialogue().length).toBe(n + 1);
  expect(track(s, "picture").clips.length).toBe(pictures + 1);
  expect(clipOf(s, oda.id).length).toBe(at - oda.start);

  // C closes here, O opens here; with Shift a gap is left.
  for (let k = 0; k < 5; k++) await page.keyboard.press("ArrowLeft");
  s = await edits(page, () => page.keyboard.press("Shift+C"));
  expect(clipOf(s, oda.id).length).toBe(at - 5 * 1920 - oda.start);
  const right = dialogue()[dialogue().findIndex((c) => c.id === oda.id) + 1];
  expect(right.start).toBe(at);
  s = await edits(page, () => page.keyboard.press("Control+z"));
  s = await edits(page, () => page.keyboard.press("c"));
  expect(dialogue()[dialogue().findIndex((c) => c.id === oda.id) + 1].start).toBe(at - 5 * 1920);

  // The edge in hand: a seam's cut, one frame and five.
  await seams(page).filter({ hasText: "Oda, take 1 → Pell, take 1" }).first().click();
  const cut = () => {
    const c = dialogue();
    return c[c.findIndex((k) => k.name === "Pell, take 1")].start;
  };
  const before = cut();
  s = await edits(page, () => page.keyboard.press("."));
  expect(cut()).toBe(before + 1920);
  s = await edits(page, () => page.keyboard.press("Shift+<"));
  expect(cut()).toBe(before - 4 * 1920);

  // Unlink and remove: the sound goes, its picture stays.
  await page.mouse.click(spot.x, spot.y);
  s = await edits(page, () => page.keyboard.press("y"));
  expect(clipOf(s, oda.id).link ?? "").toBe("");
  const count = track(s, "picture").clips.length;
  s = await edits(page, () => page.keyboard.press("Delete"));
  expect(dialogue().some((c) => c.id === oda.id)).toBe(false);
  expect(track(s, "picture").clips.length).toBe(count);

  // What cannot be done says why.
  await page.keyboard.press("y");
  await expect(page.getByRole("alert")).toContainText("No clip is in hand");
});

test("a blend is set by law, length and lean, on the bar and on the bench", async ({ page, app }) => {
  let s = await demo(page, app);
  await seams(page).filter({ hasText: "Oda, take 1 → Pell, take 1" }).first().click();
  s = await edits(page, () => page.keyboard.press("b"));
  const blend = () => track(s, "dialogue").blends![0];
  expect(blend()).toMatchObject({ before: 3840, after: 3840, law: "constant_power" });
  await expect(page.getByLabel("Length", { exact: true })).toHaveValue("4 frames");
  for (const [name, law] of [
    ["Constant gain", "constant_gain"],
    ["Matched", "matched"],
  ] as const) {
    s = await edits(page, () => page.getByRole("button", { name, exact: true }).click());
    expect(blend().law).toBe(law);
    await expect(page.getByRole("button", { name, exact: true })).toHaveAttribute("aria-pressed", "true");
  }
  s = await edits(page, async () => {
    await page.getByLabel("Length", { exact: true }).fill("240 ms");
    await page.keyboard.press("Enter");
  });
  expect(blend().before + blend().after).toBe(11520);
  await expect(page.getByLabel("Length", { exact: true })).toHaveValue("6 frames");
  s = await edits(page, () => page.getByRole("slider", { name: "Lean" }).fill("-100"));
  expect(blend()).toMatchObject({ before: 11520, after: 0 });
  s = await edits(page, () => page.getByRole("button", { name: "One frame longer" }).click());
  expect(blend()).toMatchObject({ before: 11520 + 1920, after: 0 });
  await page.getByLabel("Length", { exact: true }).fill("soon");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("alert")).toContainText("is not a length");

  // On the bench: the left stitches are dragged outwards.
  const box = (await page.locator("#bench").boundingBox())!,
    close = (2.4 * 48000) / box.width;
  const x = box.x + box.width / 2 - blend().before / close;
  const was = blend().before;
  s = await edits(page, async () => {
    await page.mouse.move(x, box.y + 60);
    await page.mouse.down();
    await page.mouse.move(x - 30, box.y + 60, { steps: 4 });
    await page.mouse.up();
  });
  expect(Math.abs(blend().before - was - 30 * close)).toBeLessThan(2 * close);

  // Down to single samples: as many bins as samples.
  let v = { from: 0, to: 0, result: { low: [] as number[] } };
  const nearest = page.waitForResponse(async (r) => {
    if (!r.url().includes("/bench?")) return false;
    const got = await r.json().catch(() => undefined); // none of one that is given up for the next
    if (got) v = got;
    return got && got.to - got.from < 40;
  });
  for (let k = 0; k < 20; k++) await page.keyboard.press("Alt+ArrowRight");
  await nearest;
  expect(v.result.low.length).toBe(v.to - v.from);
  s = await edits(page, () => page.getByRole("button", { name: "Take the blend off" }).click());
  expect(track(s, "dialogue").blends ?? []).toHaveLength(0);
});

test("playing moves the playhead, the meter and the picture", async ({ page, app }) => {
  await demo(page, app);
  const picture = () =>
    page.locator("#picture").evaluate((c: HTMLCanvasElement) => c.toDataURL().length + c.toDataURL().slice(3000, 5000));
  const lit = () =>
    page.locator("#meter").evaluate((c: HTMLCanvasElement) => {
      const d = c.getContext("2d")!.getImageData(0, 0, c.width, c.height).data,
        ink = getComputedStyle(document.documentElement).getPropertyValue("--ink").trim();
      const [r, g, b] = [1, 3, 5].map((i) => parseInt(ink.slice(i, i + 2), 16));
      let n = 0;
      for (let i = 0; i < d.length; i += 4) if (d[i] === r && d[i + 1] === g && d[i + 2] === b) n++;
      return n;
    });
  const still = await picture();
  expect(await lit()).toBe(0);
  await page.keyboard.press(" ");
  await expect(page.locator("#play")).toContainText("Stop");
  await expect.poll(async () => page.locator("#timecode").textContent()).not.toBe("01:00:00:00");
  await expect.poll(lit).toBeGreaterThan(100);
  const seconds = async () => {
    const [h, m, sec, f] = (await page.locator("#timecode").textContent())!.split(":").map(Number);
    return h * 3600 + m * 60 + sec + f / 25;
  };
  const one = await seconds();
  await expect.poll(seconds).toBeGreaterThan(one + 0.7); // it goes on, however busy the machine
  await page.keyboard.press(" ");
  await expect(page.locator("#play")).toContainText("Play");
  expect(await picture()).not.toBe(still);
});

test("a second page is kept up to date; an edit of an earlier state is done, or refused where both touch", async ({
  page,
  app,
  context,
}) => {
  let s = await demo(page, app);
  const other = await context.newPage();
  let deaf = false;
  await other.route("**/events?*", (r) => (deaf ? r.abort() : r.continue()));
  await other.goto(page.url());
  await seams(page).filter({ hasText: "Oda, take 1 → Pell, take 1" }).first().click();
  s = await edits(page, () => page.keyboard.press("b"));
  await expect(other.getByRole("alert")).toContainText("Edited elsewhere");
  await kept(other, s.revision);
  await expect(other.locator(".undo button").first()).toBeEnabled();

  // Now it does not hear of the next edit, and makes one of its own.
  deaf = true;
  await other.reload();
  await expect(seams(other).first()).toBeVisible();
  s = await edits(page, () => page.getByRole("button", { name: "Matched" }).click());
  const clip = await point(other, s, "music", track(s, "music").clips[0].start + 480000, 0.6);
  await other.mouse.click(clip.x, clip.y);
  await other.keyboard.press("-");
  await kept(other, s.revision + 1);
  const gain = (x: SceneState) => track(x, "music").clips[0].gain_db;
  s = await stateOf(page);
  expect([gain(s), track(s, "dialogue").blends![0].law]).toEqual([3, "matched"]);

  // Both turn the same clip: the later one hears that it was done already.
  await kept(page, s.revision);
  const there = await point(page, s, "music", track(s, "music").clips[0].start + 480000, 0.6);
  await page.mouse.click(there.x, there.y);
  s = await edits(page, () => page.keyboard.press("="));
  await other.keyboard.press("-");
  await expect(other.getByRole("alert")).toContainText("edited elsewhere in the meantime");
  await expect(other.getByRole("alert")).toContainText("both touch the same");
  await kept(other, s.revision);
  expect(await stateOf(other)).toEqual(s);
  expect(gain(await edits(other, () => other.keyboard.press("-")))).toBe(3);
});

test("every command is found by a word of it, and worst first puts the rough seams on top", async ({ page, app }) => {
  const s = await demo(page, app);
  await page.keyboard.press("/");
  await page.getByRole("combobox", { name: "Find a command" }).fill("set marker");
  await page.keyboard.press("Enter");
  await page.getByRole("textbox", { name: "Name", exact: true }).fill("kiln door");
  await page.keyboard.press("Enter");
  await kept(page, s.revision + 1);
  await expect(page.locator(".did")).toHaveText("marker kiln door at 01:00:00:00");
  await page.keyboard.press("/");
  await page.getByRole("combobox", { name: "Find a command" }).fill("quixotic");
  await expect(page.getByText("No command has these words")).toBeVisible();
  await page.keyboard.press("Escape");
  await expect(page.getByRole("dialog")).toHaveCount(0);
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog", { name: "Keys" })).toContainText("Divide the clip at the playhead");
  await page.keyboard.press("Escape");
  await page.getByRole("button", { name: "Worst first" }).click();
  await expect(seams(page).first().locator("span").first()).toContainText("rough");
  await page.keyboard.press("ArrowDown");
  await expect(seams(page).first()).toHaveAttribute("aria-selected", "true");
});
